<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { EnrolmentAttempt, EnrolmentKeyView, MadeEnrolmentKey, NewEnrolmentKey, Role } from '#contract'
import { countText, type DeviceKind } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { useNewestFirst } from '../../../parts/data/parts'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import FaultLines from '../../../parts/ui/FaultLines.vue'
import { useChecked } from '../../../parts/ui/checked'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { exactText, fullText } from '../../../parts/format/time'
import KeyProgress from './KeyProgress.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** One machine by hand: a key, the command to run there, and how far it has come. */
const session = useSession()
const { data, error, refresh, hasMore, more } = useNewestFirst<EnrolmentKeyView>((query) => api.get(`/enrolment-keys?${query}`), {
  topics: ['estate'],
})
const strangers = useResource(() => api.get<EnrolmentAttempt[]>('/enrolment-attempts'), { topics: ['estate'] })
const roles = useResource(() => api.get<Role[]>('/roles'))
const clients = computed(() => session.clients.filter((client) => session.inView(client.id)))
const place = ref(clients.value[0]?.sites[0] ? `site ${clients.value[0].sites[0].id}` : 'address')
const uses = ref(1)
const days = ref(1)
const kind = ref<DeviceKind>('server')
const role = ref('')
const tags = ref('')
const label = ref('')
/** Made here since the page was opened: their commands are shown this once, and stay while others are looked at. */
const made = ref<MadeEnrolmentKey[]>([])
const chosen = ref<number | null>(null)
const body = computed((): NewEnrolmentKey => {
  const [what, id] = place.value.split(' ')
  return {
    siteId: what === 'site' ? Number(id) : null,
    clientId: what === 'client' ? Number(id) : null,
    label: label.value.trim(),
    uses: uses.value,
    days: days.value,
    kind: kind.value,
    roles: role.value ? [role.value] : [],
    tags: tags.value
      .split(',')
      .map((part) => part.trim())
      .filter(Boolean),
  }
})
const { faults, send } = useChecked(async () => (await import('#contract')).newEnrolmentKeySchema, () => body.value)
async function make(): Promise<void> {
  const key = await send(() => api.post<MadeEnrolmentKey>('/enrolment-keys', body.value))
  if (!key) return
  made.value = [...made.value, key]
  chosen.value = key.id
  await refresh()
}
async function revoke(id: number): Promise<void> {
  if (!(await attempt(() => api.delete(`/enrolment-keys/${id}`)))) return
  done('Revoked: nothing can enrol with it any more.')
  await refresh()
}
const shown = computed(() => (data.value ?? []).filter((key) => key.clientId === null || session.inView(key.clientId)))
const where = (key: EnrolmentKeyView) =>
  key.siteName ? `${key.clientName} · ${key.siteName}` : `${key.clientName ?? 'every client'}, the site by address`
const stateText = (key: EnrolmentKeyView) =>
  key.state === 'good' ? `${countText(key.usesLeft, 'use')} left, until ${fullText(key.expiresAt)}` : key.state
const unknown = computed(() => (strangers.data.value ?? []).filter((stranger) => stranger.code === 'unknown-key'))
const keyColumns = [
  { key: 'where', title: 'Where' },
  { key: 'kind', title: 'For' },
  { key: 'gives', title: 'Roles and tags' },
  { key: 'state', title: 'State' },
  { key: 'used', title: 'Used', align: 'right' },
  { key: 'label', title: 'Note' },
  { key: 'made', title: 'Made' },
  { key: 'acts', align: 'right' },
] as const
const strangerColumns = [
  { key: 'at', title: 'When' },
  { key: 'name', title: 'Name' },
  { key: 'system', title: 'System' },
  { key: 'from', title: 'From' },
] as const
</script>

<template>
  <div>
    <form class="sentence" @submit.prevent="make">Let
      <ChoiceField v-model="uses" label="Uses">
        <option :value="1">one machine</option>
        <option :value="10">10 machines</option>
        <option :value="100">100 machines</option>
      </ChoiceField> enrol within
      <ChoiceField v-model="days" label="Expiry">
        <option :value="1">a day</option>
        <option :value="7">a week</option>
        <option :value="90">90 days</option>
      </ChoiceField> at
      <ChoiceField v-model="place" label="Site">
        <optgroup v-for="client in clients" :key="client.id" :label="client.name">
          <option v-for="site in client.sites" :key="site.id" :value="`site ${site.id}`">{{ client.name }} ·
            {{ site.name }}</option>
          <option :value="`client ${client.id}`">{{ client.name }}, the site by its address</option>
        </optgroup>
        <option value="address">the client and site by its address</option>
      </ChoiceField> as a
      <ChoiceField v-model="kind" label="Kind"><option>server</option><option>workstation</option></ChoiceField> with
      <ChoiceField v-model="role" label="Role">
        <option value="">no role yet</option>
        <option v-for="role in roles.data.value" :key="role.id" :value="role.id">the role {{ role.name }}</option>
      </ChoiceField> and <ElInput v-model="tags" aria-label="Tags" :aria-invalid="'tags' in faults" placeholder="no tags" maxlength="200" />, noted as
      <ElInput v-model="label" aria-label="Label" :aria-invalid="'label' in faults" placeholder="nothing" maxlength="100" />.
      <button class="btn main">Make a key</button>
      <FaultLines :faults="faults" :fields="{ tags: 'Tags', label: 'Label', siteId: 'Site', roles: 'Role' }" /></form>
    <KeyProgress
      v-if="chosen !== null"
      :key="chosen"
      :id="chosen"
      :made="made.find((key) => key.id === chosen) ?? null"
      @close="chosen = null"
    />
    <h2>Keys</h2>
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !shown.length ? 'No key has been made yet.' : ''"
      @again="refresh"
    />
    <ShortTable v-if="shown.length" label="Keys" :rows="shown" :columns="keyColumns" row-key="id">
      <template #where="{ row: key }"><button class="link" @click="chosen = key.id">{{ where(key) }}</button><span v-if="made.some((one) => one.id === key.id)" class="muted"> new, its command is still here</span></template>
      <template #kind="{ row: key }">{{ key.kind }}</template>
      <template #gives="{ row: key }">{{ [...key.roles, ...key.tags].join(', ') }}</template>
      <template #state="{ row: key }"><span :class="{ muted: key.state !== 'good' }">{{ stateText(key) }}</span></template>
      <template #used="{ row: key }">{{ key.uses - key.usesLeft }} of {{ key.uses }}</template>
      <template #label="{ row: key }"><span class="muted">{{ key.label }}</span></template>
      <template #made="{ row: key }"><span class="muted" :title="exactText(key.createdAt)">{{ fullText(key.createdAt) }} by {{ key.createdBy }}</span></template>
      <template #acts="{ row: key }"><button v-if="key.state === 'good'" class="link" @click="revoke(key.id)">revoke</button></template>
    </ShortTable>
    <p v-if="hasMore"><button class="link" @click="more">older keys</button></p>
    <template v-if="unknown.length">
      <h2>Tried a key that does not exist, in the last day</h2>
      <ShortTable label="Tried a key that does not exist" :rows="unknown" :columns="strangerColumns" row-key="id">
        <template #at="{ row: stranger }">{{ fullText(stranger.at) }}</template>
        <template #name="{ row: stranger }"><span class="mono">{{ stranger.name }}</span></template>
        <template #system="{ row: stranger }"><span class="muted">{{ stranger.osName }}</span></template>
        <template #from="{ row: stranger }"><span class="mono">{{ stranger.address }}</span></template>
      </ShortTable>
    </template>
  </div>
</template>

<style scoped>
form {
  line-height: 34px;
  margin: 10px 0 12px;
}
h2 {
  margin: 18px 0 4px;
}
input {
  width: 110px;
  font-weight: 400;
}
</style>
