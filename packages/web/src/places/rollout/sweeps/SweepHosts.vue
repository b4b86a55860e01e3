<script setup lang="ts">
import { computed, ref } from 'vue'
import type { SweepPage } from '#contract'
import { countText, sweptPorts } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { acceptKeys } from './acceptKeys'
import MachineKey from './MachineKey.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import type { ShortColumn } from '../../../parts/ui/table'

const props = defineProps<{ id: number }>()
const { data, error, refresh } = useResource(() => api.get<SweepPage>(`/sweeps/${props.id}`), { topics: ['estate'] })
const only = ref<'all' | 'new'>('all')
const looked = computed(() => data.value?.hosts.some((host) => host.signedIn))
/** Those that may not get passwords for no other reason than that nobody has looked at their key. */
const unaccepted = computed(() =>
  (data.value?.hosts ?? []).flatMap(({ address, key }) =>
    key?.state === 'new' ? [{ address, fingerprint: key.fingerprint }] : [],
  ),
)
const hasKeys = computed(() => data.value?.hosts.some((host) => host.key))
async function acceptAll(): Promise<void> {
  if (await acceptKeys(data.value!.siteId, unaccepted.value)) await refresh()
}
const shown = computed(() => (data.value?.hosts ?? []).filter((host) => only.value === 'all' || !host.device))
const columns = computed((): ShortColumn<SweepPage['hosts'][number]>[] => [
  { key: 'address', title: 'Address' },
  { key: 'name', title: 'Name', sortBy: (host) => host.name ?? '' },
  { key: 'seems', title: 'Seems to be', sortBy: (host) => host.seems },
  { key: 'ports', title: 'Answers at' },
  ...(looked.value ? [{ key: 'inside', title: 'Inside' }] : []),
  ...(hasKeys.value ? [{ key: 'key', title: 'Key' }] : []),
  { key: 'agent', title: 'Agent', sortBy: (host) => host.device?.name ?? '' },
])
</script>

<template>
  <section aria-label="What answered">
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data">
      <p class="sentence">Show
        <ChoiceField v-model="only" label="Show">
          <option value="all">all {{ data.answered }} that answered</option>
          <option value="new">the {{ data.unknown }} without an agent</option>
        </ChoiceField>
        <RouterLink v-if="data.unknown" class="btn" :to="`/rollout?part=waves&sweep=${id}`">Send agents to the {{ data.unknown }}</RouterLink></p>
      <p v-if="unaccepted.length" class="warning">{{ countText(unaccepted.length, 'machine') }}
        {{ unaccepted.length > 1 ? 'show keys' : 'shows a key' }} that nobody has accepted, so no password was sent
        there. Compare {{ unaccepted.length > 1 ? 'them' : 'it' }} with what the machines themselves say (ssh-keygen
        -l), then
        <button class="link" @click="acceptAll">accept {{ unaccepted.length > 1 ? `all ${unaccepted.length}` : 'it' }}</button>
        and sweep again.</p>
      <ShortTable v-if="shown.length" label="Hosts" :rows="shown" :columns="columns" row-key="address" sort-name="hosts">
        <template #address="{ row: host }"><span class="mono">{{ host.address }}</span></template>
        <template #name="{ row: host }"><span class="mono">{{ host.name }}</span></template>
        <template #seems="{ row: host }"><span :title="host.banner ?? ''">{{ host.seems }}</span></template>
        <template #ports="{ row: host }"><span v-for="port in host.ports" :key="port" :title="sweptPorts[port]" class="port">{{ port }}</span></template>
        <template #inside="{ row: host }"><span class="inside" :class="{ warning: host.signedIn && !host.signedIn.with }" :title="host.signedIn?.with ? `with ${host.signedIn.with}` : host.signedIn?.reason">{{ host.signedIn ? host.signedIn.system || host.signedIn.reason : '' }}</span></template>
        <template #key="{ row: host }"><MachineKey :site-id="data.siteId" :address="host.address" :machine-key="host.key" @accepted="refresh" /></template>
        <template #agent="{ row: host }"><RouterLink v-if="host.device" class="mono name" :to="`/estate/${host.device.id}`">{{ host.device.name }}</RouterLink>
                    <span v-else-if="host.signedIn?.agent" class="warning">installed, does not report here</span>
                    <span v-else class="muted">none</span></template>
      </ShortTable>
      <p v-else class="muted">{{ data.state === 'done' ? 'Nothing answered. Is the range the right one, and does the device that swept have a way there?' : data.state === 'failed' ? data.reason : 'Nothing has answered yet.' }}</p>
    </template>
  </section>
</template>

<style scoped>
.inside {
  max-width: 260px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.name {
  white-space: nowrap;
}
.port {
  margin-right: 9px;
}
</style>
