<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { Invited, PersonListed, RequestPart, Rounds } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { exactText, fullText } from '../../../parts/format/time'
import { confirmed } from '../../../parts/ui/confirm'
import { attempt, done } from '../../../parts/ui/notify'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import HouseRules from './HouseRules.vue'
import LinkDialog from './LinkDialog.vue'
import PersonDialog from './PersonDialog.vue'
import ProviderLine from './ProviderLine.vue'
import { accessWords } from './accessWords'

/** Who may sign in, what they may do, and which clients they see. */
const session = useSession()
const { data, error, refresh } = useResource(() => api.get<PersonListed[]>('/people'), { topics: ['people'] })
const words = ref('')
/** Of whom the dialog is; `null`: of somebody new; undefined: it is closed. */
const changing = ref<PersonListed | null | undefined>()
const shown = computed(() =>
  (data.value ?? []).filter(({ name, email, clientIds }) =>
    `${name} ${email} ${seenBy(clientIds)}`.toLowerCase().includes(words.value.trim().toLowerCase()),
  ),
)
function seenBy(clientIds: readonly number[] | null): string {
  if (clientIds === null) return 'every client'
  const names = clientIds.map((id) => session.clients.find((client) => client.id === id)?.name ?? `client ${id}`)
  return names.length > 3 ? `${names.slice(0, 2).join(', ')} and ${names.length - 2} more` : names.join(', ')
}
/** What is open in their hands, alerts and requests: it does not go to anybody by itself. */
async function inHand({ id }: PersonListed): Promise<number> {
  const [{ todo, working }, ...requests] = await Promise.all([
    api.get<Rounds>(`/rounds?who=${id}&limit=1`),
    ...(['open', 'taken'] as const).map((status) => api.get<RequestPart>(`/requests?status=${status}&who=${id}&limit=1`)),
  ])
  return todo.total + working.total + requests.reduce((sum, { total }) => sum + total, 0)
}
const left = ref<{ person: PersonListed; alerts: number } | null>(null)
async function letIn(person: PersonListed, active: boolean): Promise<void> {
  const alerts = active ? 0 : ((await attempt(() => inHand(person))) ?? 0)
  const question = `${person.name} is signed out everywhere at once and cannot sign in any more.${alerts ? ` ${countText(alerts, 'alert or request', 'alerts and requests')} in their hands ${alerts === 1 ? 'stays' : 'stay'} there until somebody takes ${alerts === 1 ? 'it' : 'them'}.` : ''}`
  if (!active && !(await confirmed(question, 'Deactivate'))) return
  if (!(await attempt(() => api.put(`/people/${person.id}`, { active })))) return
  done(active ? `${person.name} may sign in again, with the password of before.` : `${person.name} is deactivated.`)
  left.value = alerts ? { person, alerts } : null
  await refresh()
}
async function endFactor(person: PersonListed): Promise<void> {
  if (!(await confirmed(`Is it ${person.name} who asks? From then on their password alone lets them in, and they are signed out everywhere.`, 'Take it away'))) return
  if (!(await attempt(() => api.post(`/people/${person.id}/second-factor/end`)))) return
  done(`${person.name} signs in with the password alone, and can set up another one.`)
  await refresh()
}
/** A link that no mail took away: whoever asked hands it over. */
const handOver = ref<{ name: string; link: string; answer: string } | null>(null)
async function sendLink({ id, name, email }: Pick<PersonListed, 'id' | 'name' | 'email'>): Promise<void> {
  const sent = await attempt(() => api.post<Invited>(`/people/${id}/invitation`))
  if (!sent) return
  if (sent.isSent) done(`A link to choose a password by is on its way to ${email}.`)
  else handOver.value = { name, link: sent.link ?? '', answer: sent.answer }
}
const isSelf = ({ id }: PersonListed) => id === session.person?.id
const columns = [
  { key: 'name', title: 'Name', sortBy: ({ name }: PersonListed) => name },
  { key: 'email', title: 'E-mail', sortBy: ({ email }: PersonListed) => email },
  { key: 'access', title: 'May', sortBy: ({ access }: PersonListed) => accessWords[access] },
  { key: 'clients', title: 'Sees' },
  { key: 'state', title: 'State', sortBy: ({ deactivatedAt }: PersonListed) => deactivatedAt ?? 0 },
  { key: 'acts', align: 'right' },
] as const
</script>

<template>
  <div>
    <p class="tools">
      <ElInput v-model="words" aria-label="Narrow by words" placeholder="narrow by words" clearable class="narrow" />
      <button class="btn main" @click="changing = null">Add a person</button>
    </p>
    <p v-if="left" role="status" class="warning">{{ countText(left.alerts, 'alert or request', 'alerts and requests') }} {{ left.alerts === 1 ? 'is' : 'are' }} still with {{ left.person.name }}:
      <RouterLink :to="`/rounds?who=${left.person.id}`">see what to hand over</RouterLink>.</p>
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !shown.length ? `Nobody has “${words.trim()}” in name, address or clients.` : ''"
      @again="refresh"
    />
    <ShortTable v-if="shown.length" label="People" :rows="shown" :columns="columns" row-key="id" sort-name="order">
      <template #name="{ row: person }"><b>{{ person.name }}</b><span v-if="isSelf(person)" class="muted"> you</span></template>
      <template #email="{ row: person }">{{ person.email }}</template>
      <template #access="{ row: person }">{{ accessWords[person.access] }}</template>
      <template #clients="{ row: person }"><span :class="{ muted: person.clientIds === null }">{{ seenBy(person.clientIds) }}</span></template>
      <template #state="{ row: person }"><span v-if="person.deactivatedAt" class="muted" :title="exactText(person.deactivatedAt)">deactivated {{ fullText(person.deactivatedAt) }}</span><template v-else>may sign in<span v-if="person.hasSecondFactor" class="muted">, with a second factor</span></template></template>
      <template #acts="{ row: person }"><span v-if="isSelf(person)" class="faint">another lead changes yours</span>
        <template v-else><button class="link" :aria-label="`Change ${person.name}`" @click="changing = person">change</button>{{ ' ' }}
          <button v-if="!person.deactivatedAt" class="link" :aria-label="`Send a link to ${person.name}`" @click="sendLink(person)">send a link</button>{{ ' ' }}
          <button v-if="person.hasSecondFactor" class="link" @click="endFactor(person)">lost their second factor</button>{{ ' ' }}
          <button v-if="person.deactivatedAt" class="link" @click="letIn(person, true)">let in again</button>
          <button v-else class="link" :aria-label="`Deactivate ${person.name}`" @click="letIn(person, false)">deactivate</button></template></template>
    </ShortTable>
    <PersonDialog v-if="changing !== undefined" :person="changing" @close="changing = undefined" @changed="refresh" @invited="sendLink" />
    <LinkDialog v-if="handOver" v-bind="handOver" @close="handOver = null" />
    <HouseRules class="rules" />
    <ProviderLine />
  </div>
</template>

<style scoped>
.rules {
  margin-top: 18px;
  border-top: 1px solid var(--rule);
  padding-top: 8px;
}
.tools {
  display: flex;
  gap: 12px;
  align-items: center;
  margin: 12px 0;
}
.narrow {
  width: 220px;
}
</style>
