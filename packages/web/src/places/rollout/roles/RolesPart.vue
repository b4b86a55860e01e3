<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Decided, Role, RoleDecision, RoleDecisions, RoleFinding, RoleFindingPage } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { useResource, type Resource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** What runs on a device says what it is for; a person decides, once. */
const props = defineProps<{ findings: Resource<RoleFindingPage> }>()
const emit = defineEmits<{ more: [] }>()
const session = useSession()
const roles = useResource(() => api.get<Role[]>('/roles'))
const nameOf = (id: string) => roles.data.value?.find((role) => role.id === id)?.name ?? id
const page = computed(() => props.findings.data.value)
const busy = ref(false)
async function send(body: RoleDecisions): Promise<void> {
  busy.value = true
  const answer = await attempt(() => api.post<Decided>('/role-findings/decide', body))
  if (answer) {
    done(
      body.decision === 'declined'
        ? 'Declined; it is not suggested again.'
        : `${countText(answer.decided, 'device')} ${answer.decided === 1 ? 'has' : 'have'} the role, and the policies that come with it.`,
    )
    await props.findings.refresh()
  }
  busy.value = false
}
const decide = (decision: RoleDecision, { deviceId, role }: RoleFinding) =>
  send({ decision, findings: [{ deviceId, role }] })
const decideAll = (decision: RoleDecision, role: string) => send({ decision, role, clientId: session.clientId })
const gone = computed(() => page.value?.gone.flatMap((group) => group.findings) ?? [])
const goneTotal = computed(() => page.value?.gone.reduce((sum, group) => sum + group.total, 0) ?? 0)
/** Of the groups, those with more devices than were read. */
const rest = computed(() => {
  const groups = [...(page.value?.suggested ?? []), ...(page.value?.gone ?? [])]
  return groups.reduce((sum, group) => sum + group.total - group.findings.length, 0)
})
const suggested = [
  { key: 'device', title: 'Device', width: 220 },
  { key: 'place', title: 'Client and site', width: 260 },
  { key: 'evidence', title: 'What speaks for it', width: 300, grow: 1 },
  { key: 'acts', width: 200, align: 'right', tight: true },
] as const
const goneColumns = [
  { key: 'device', title: 'Device', width: 220 },
  { key: 'place', title: 'Client and site', width: 260 },
  { key: 'what', title: 'What', width: 300, grow: 1 },
  { key: 'acts', width: 200, align: 'right', tight: true },
] as const
</script>

<template>
  <div>
    <StateNotice
      :error="findings.error.value"
      :loading="!page"
      :empty="page && !page.total ? 'No device runs anything that speaks for a role it does not have.' : ''"
      @again="findings.refresh"
    />
    <section v-for="group in page?.suggested" :key="group.role" :aria-label="nameOf(group.role)">
      <div class="head">
        <h2>{{ nameOf(group.role) }} <span class="faint">{{ group.total }}</span></h2>
        <span v-if="group.total > 1" class="end">
          <button class="btn" :disabled="busy" @click="decideAll('accepted', group.role)">Accept all
            {{ group.total }}</button>
          <button class="btn" :disabled="busy" @click="decideAll('declined', group.role)">Decline all</button>
        </span>
      </div>
      <ShortTable :label="`Suggested: ${nameOf(group.role)}`" :rows="group.findings" even :columns="suggested" row-key="deviceId">
        <template #device="{ row }"><RouterLink class="mono" :to="`/estate/${row.deviceId}`">{{ row.deviceName }}</RouterLink></template>
        <template #place="{ row }"><span class="muted">{{ row.clientName }} · {{ row.siteName }}</span></template>
        <template #evidence="{ row }">{{ row.evidence.join(', ') }}</template>
        <template #acts="{ row }"><button class="link" :disabled="busy" @click="decide('accepted', row)">accept</button> <button
                    class="link"
                    :disabled="busy"
                    title="Keep it, whatever runs there later"
                    @click="decide('pinned', row)"
                  >pin</button> <button class="link" :disabled="busy" @click="decide('declined', row)">decline</button></template>
      </ShortTable>
    </section>
    <section v-if="gone.length" aria-label="No longer shows">
      <h2>Taken once, and no longer shows <span class="faint">{{ goneTotal }}</span></h2>
      <ShortTable label="No longer shows" :rows="gone" even :columns="goneColumns" :row-key="(finding) => `${finding.deviceId}${finding.role}`">
        <template #device="{ row: finding }"><RouterLink class="mono" :to="`/estate/${finding.deviceId}`">{{ finding.deviceName }}</RouterLink></template>
        <template #place="{ row: finding }"><span class="muted">{{ finding.clientName }} · {{ finding.siteName }}</span></template>
        <template #what="{ row: finding }">has the role {{ nameOf(finding.role) }}, but nothing that speaks for it runs there now</template>
        <template #acts="{ row: finding }"><button class="link" :disabled="busy" @click="decide('pinned', finding)">keep the role</button> <button class="link" :disabled="busy" @click="decide('declined', finding)">remove it</button></template>
      </ShortTable>
    </section>
    <p v-if="rest"><button class="link" @click="emit('more')">show {{ rest }} more</button></p>
  </div>
</template>

<style scoped>
section {
  margin-top: 16px;
}
</style>
