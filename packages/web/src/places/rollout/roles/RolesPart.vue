<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Decided, Role, RoleDecision, RoleFinding } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { useResource, type Resource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'

/** What runs on a device says what it is for; a person decides, once. */
const props = defineProps<{ findings: Resource<RoleFinding[]> }>()
const session = useSession()
const roles = useResource(() => api.get<Role[]>('/roles'))
const nameOf = (id: string) => roles.data.value?.find((role) => role.id === id)?.name ?? id
const shown = computed(() => (props.findings.data.value ?? []).filter((finding) => session.inView(finding.clientId)))
const gone = computed(() => shown.value.filter((finding) => finding.decision === 'accepted'))
/** Alike: the same role for the same reasons. */
const groups = computed(() => {
  const byRole = new Map<string, RoleFinding[]>()
  for (const finding of shown.value) if (finding.decision === null) byRole.set(finding.role, [...(byRole.get(finding.role) ?? []), finding])
  return [...byRole].map(([role, rows]) => ({ role, rows }))
})
const busy = ref(false)
async function decide(decision: RoleDecision, rows: readonly RoleFinding[]): Promise<void> {
  busy.value = true
  const answer = await attempt(() =>
    api.post<Decided>('/role-findings/decide', {
      decision,
      findings: rows.map(({ deviceId, role }) => ({ deviceId, role })),
    }),
  )
  if (answer) {
    done(
      decision === 'declined'
        ? 'Declined; it is not suggested again.'
        : `${countText(rows.length, 'device')} ${rows.length === 1 ? 'has' : 'have'} the role, and the policies that come with it.`,
    )
    await props.findings.refresh()
  }
  busy.value = false
}
</script>

<template>
  <div>
    <StateNotice
      :error="findings.error.value"
      :loading="!findings.data.value"
      :empty="findings.data.value && !shown.length ? 'No device runs anything that speaks for a role it does not have.' : ''"
      @again="findings.refresh"
    />
    <section v-for="group in groups" :key="group.role" :aria-label="nameOf(group.role)">
      <div class="head">
        <h2>{{ nameOf(group.role) }} <span class="faint">{{ group.rows.length }}</span></h2>
        <span v-if="group.rows.length > 1" class="end">
          <button class="btn" :disabled="busy" @click="decide('accepted', group.rows)">Accept all
            {{ group.rows.length }}</button>
          <button class="btn" :disabled="busy" @click="decide('declined', group.rows)">Decline all</button>
        </span>
      </div>
      <table class="board">
        <tbody>
          <tr v-for="row in group.rows" :key="row.deviceId">
            <td class="name">
              <RouterLink class="mono" :to="`/estate/${row.deviceId}`">{{ row.deviceName }}</RouterLink>
            </td>
            <td class="muted place">{{ row.clientName }} · {{ row.siteName }}</td>
            <td>{{ row.evidence.join(', ') }}</td>
            <td class="num do"><button class="link" :disabled="busy" @click="decide('accepted', [row])">accept</button> <button
              class="link"
              :disabled="busy"
              title="Keep it, whatever runs there later"
              @click="decide('pinned', [row])"
            >pin</button> <button class="link" :disabled="busy" @click="decide('declined', [row])">decline</button></td>
          </tr>
        </tbody>
      </table>
    </section>
    <section v-if="gone.length" aria-label="No longer shows">
      <h2>Taken once, and no longer shows <span class="faint">{{ gone.length }}</span></h2>
      <table class="board">
        <tbody>
          <tr v-for="finding in gone" :key="`${finding.deviceId}${finding.role}`">
            <td class="name">
              <RouterLink class="mono" :to="`/estate/${finding.deviceId}`">{{ finding.deviceName }}</RouterLink>
            </td>
            <td class="muted place">{{ finding.clientName }} · {{ finding.siteName }}</td>
            <td>has the role {{ nameOf(finding.role) }}, but nothing that speaks for it runs there now</td>
            <td class="num do"><button class="link" :disabled="busy" @click="decide('pinned', [finding])">keep the role</button> <button class="link" :disabled="busy" @click="decide('declined', [finding])">remove it</button></td>
          </tr>
        </tbody>
      </table>
    </section>
  </div>
</template>

<style scoped>
section {
  margin-top: 16px;
}
.name {
  width: 220px;
}
.place {
  width: 260px;
}
.do {
  width: 200px;
}
.do button {
  margin-left: 10px;
}
</style>
