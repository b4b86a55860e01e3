<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { AlertView, DevicePage, HeldView, PolicyListing, RosterWatch, ServiceActionView, TemplatePage } from '#contract'
import { answerWithin, countText, serviceWatching, type PolicyStep, type Service } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { api } from '../../../parts/data/api'
import { doubtOf } from '../../../parts/data/known'
import { useResource } from '../../../parts/data/resource'
import { alertWords } from '../../../parts/format/alertWords'
import { useSession } from '../../../parts/data/session'
import AgeText from '../../../parts/ui/AgeText.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import DoubtText from '../../../parts/ui/DoubtText.vue'
import { attempt } from '../../../parts/ui/notify'
import SeverityMark from '../../../parts/ui/SeverityMark.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import ChangeDialog from '../../policy/impact/ChangeDialog.vue'
import ActionLine from './ActionLine.vue'
import LeaveOutDialog from './LeaveOutDialog.vue'
import ServiceMenu from './ServiceMenu.vue'
import { takeBack, templateOf, watchByName } from './steps'
import { startWords, stateWords, watchingWords } from './words'

/** All services of a device: how each is, since when, what looks at it, and what can be done about it. */
const props = defineProps<{ device: DevicePage; alerts: readonly AlertView[]; held: readonly HeldView[] }>()
const session = useSession()
const only = { deviceId: () => props.device.id }
const roster = useResource(() => api.get<RosterWatch[]>(`/devices/${props.device.id}/roster`), {
  topics: ['policy', 'estate'],
  ...only,
})
const actions = useResource(
  () => (session.mayChange ? api.get<ServiceActionView[]>(`/devices/${props.device.id}/service-actions`) : Promise.resolve([])),
  { topics: ['alerts'], ...only },
)
const lastAsked = computed(() => {
  const last = new Map<string, ServiceActionView>()
  for (const action of actions.data.value ?? []) if (!last.has(action.service)) last.set(action.service, action)
  return last
})
const canAct = computed(() => props.device.facts.system?.remediates === true)

interface Row extends Service {
  wrong: DevicePage['services'][number] | undefined
  watching: ReturnType<typeof serviceWatching<RosterWatch>>
}
const rows = computed((): Row[] => {
  const wrong = new Map(props.device.services.map((service) => [service.name, service]))
  return (props.device.facts.services ?? []).map((service) => ({
    ...service,
    wrong: wrong.get(service.name),
    watching: serviceWatching(service, roster.data.value ?? []),
  }))
})
/** What is wrong with a service, in the words of the alert, or of what is held back. */
const wrongText = computed(() => {
  const told = [...props.held.filter(({ endedAt }) => !endedAt), ...props.alerts.filter(({ status }) => status !== 'closed')]
  return new Map(told.map((entry) => [entry.instance, alertWords(entry).rest]))
})
const groups: Record<string, { text: string; is: (row: Row) => boolean }> = {
  all: { text: 'all', is: () => true },
  wrong: { text: 'not as they should be', is: ({ wrong }) => wrong !== undefined },
  boot: { text: 'set to start', is: ({ start }) => start === 'automatic' || start === 'late' },
  running: { text: 'running', is: ({ state }) => state === 'running' },
  failed: { text: 'failed', is: ({ state }) => state === 'failed' },
  unwatched: { text: 'looked at by no watch', is: ({ watching }) => watching === null || watching.how === 'left out' },
}
const group = useAddressed('services', 'all')
const words = ref('')
const shown = computed(() => {
  const wanted = words.value.trim().toLowerCase()
  return rows.value
    .filter((row) => (groups[group.value] ?? groups.all!).is(row) && `${row.name} ${row.title}`.toLowerCase().includes(wanted))
    .sort((a, b) => rank(a) - rank(b) || a.name.localeCompare(b.name, 'en', { numeric: true }))
})
function rank({ wrong, state }: Row): number {
  if (wrong) return wrong.held ? 1 : 0
  return state === 'failed' ? 2 : 3
}
const columns = [
  { key: 'name', title: 'Service', sortBy: ({ name }: Row) => name, grow: 2 },
  { key: 'state', title: 'State', sortBy: ({ state }: Row) => state },
  { key: 'since', title: 'Since', sortBy: ({ since }: Row) => since ?? 0, align: 'right' },
  { key: 'start', title: 'Start', sortBy: ({ start }: Row) => start },
  { key: 'account', title: 'Account', sortBy: ({ account }: Row) => account ?? '' },
  { key: 'watching', title: 'Watched', sortBy: ({ watching }: Row) => watching?.how ?? '' },
  { key: 'do', hint: 'What can be done', align: 'right' },
] as const

const leaving = ref<{ watch: RosterWatch; name: string } | null>(null)
const changing = ref<{ title: string; steps: PolicyStep[]; verb: string; said: string } | null>(null)
/** What policy offers for a row: to leave it out where a watch looks at it, to watch it by its name where none does so. */
function offers({ watching }: Row): [code: string, text: string][] {
  if (watching?.how === 'left out') return [['back', 'Watch it again on this device…']]
  const isNamed = watching?.watch.values.which === 'named'
  return [
    ...(watching ? [['leave', 'Leave it out…'] as [string, string]] : []),
    ...(session.isLead && !isNamed ? [['watch', 'Watch it by its name…'] as [string, string]] : []),
  ]
}
/** The template of the device's own, where there is one already. */
async function ownTemplate(): Promise<{ template: TemplatePage | null }> {
  const { templates } = await api.get<PolicyListing>('/policy')
  const found = templates.find(({ name }) => name === templateOf(props.device))
  return { template: found ? await api.get<TemplatePage>(`/templates/${found.id}`) : null }
}
async function offered(code: string, row: Row): Promise<void> {
  const { device } = props
  if (code === 'leave') {
    leaving.value = { watch: row.watching!.watch, name: row.name }
  } else if (code === 'back') {
    changing.value = {
      title: `Watch ${row.name} on ${device.name} again`,
      steps: takeBack(device, row.watching!.watch, row.name, session.person?.id ?? null),
      verb: 'Watch it again on',
      said: `${row.name} is watched here again.`,
    }
  } else {
    const known = await attempt(ownTemplate)
    if (!known) return
    changing.value = {
      title: `Watch ${row.name} on ${device.name} by its name`,
      steps: watchByName(device, row, known.template),
      verb: 'Watch it on',
      said: `${row.name} is watched here: it should run.`,
    }
  }
}
function closed(): void {
  leaving.value = changing.value = null
  void roster.refresh()
}
const emptyText = computed(() => {
  if (!props.device.facts.services) return 'Its services were not told yet.'
  if (!rows.value.length) return 'There are no services here.'
  return shown.value.length ? '' : `None of ${countText(rows.value.length, 'service')} is like that.`
})
</script>

<template>
  <div class="bar">
    <ChoiceField v-model="group" label="Services shown">
      <option v-for="(choice, name) in groups" :key="name" :value="name">{{ choice.text }} ({{ rows.filter(choice.is).length }})</option>
    </ChoiceField>
    <DoubtText :doubt="doubtOf(device, 'services', device.servicesRead)" />
    <ElInput v-model="words" aria-label="Narrow by words" placeholder="narrow by words" clearable class="narrow" />
  </div>
  <p v-if="device.facts.system && device.facts.system.serviceManager === null" class="muted">There is no service manager
    here: nothing starts services by itself, so none is expected to run.</p>
  <StateNotice :error="null" :loading="false" :empty="emptyText" />
  <ShortTable v-if="shown.length" label="Services" :rows="shown" :columns="columns" row-key="name" sort-name="by">
    <template #name="{ row }"><span class="mono name">{{ row.name }}</span> <span v-if="row.title && row.title !== row.name" class="muted">{{ row.title }}</span>
      <span v-if="row.wrong" class="block" :class="row.wrong.held ? 'held' : 'critical'">{{ wrongText.get(row.name) }}</span>
      <span v-else-if="row.neededBy?.length" class="faint block">needed by {{ row.neededBy.join(', ') }}</span>
      <ActionLine v-if="lastAsked.has(row.name)" :action="lastAsked.get(row.name)!" :within="answerWithin" /></template>
    <template #state="{ row }"><span v-if="row.state" class="state" :class="{ critical: row.wrong && !row.wrong.held, held: row.wrong?.held, muted: !row.wrong && row.state !== 'failed' }" :title="row.brokenTrigger ? `${row.brokenTrigger}, which starts it, has failed` : ''"><SeverityMark v-if="row.wrong" :state="row.wrong.held ? 'held' : row.wrong.severity" /> {{ stateWords[row.state as Service['state']] }}{{ row.wrong?.held ? ', held' : '' }}</span></template>
    <template #since="{ row }"><AgeText v-if="row.since" :at="row.since" :zone="device.zone" /></template>
    <template #start="{ row }"><span class="muted">{{ row.start ? startWords[row.start as Service['start']] : '' }}</span></template>
    <template #account="{ row }"><span class="muted mono">{{ row.account ?? '' }}</span></template>
    <template #watching="{ row }"><RouterLink v-if="row.watching" class="quiet" :to="{ path: `/estate/${device.id}/why`, query: { watch: row.watching.watch.key, instance: row.name } }" :title="row.watching.watch.name">{{ watchingWords[row.watching.how as keyof typeof watchingWords] }}</RouterLink><span v-else class="faint">by none</span></template>
    <template #do="{ row }"><ServiceMenu v-if="session.mayChange && row.name" :device-id="device.id" :device-name="device.name" :service="row" :can-act="canAct" :more="offers(row)" @asked="actions.refresh()" @pick="(code) => offered(code, row)" /></template>
  </ShortTable>
  <LeaveOutDialog v-if="leaving" :device="device" :watch="leaving.watch" :name="leaving.name" @close="closed" />
  <ChangeDialog v-if="changing" v-bind="changing" @close="closed" />
</template>

<style scoped>
.bar {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 10px 0 6px;
}
.narrow {
  width: 200px;
  margin-left: auto;
}
.name {
  overflow-wrap: anywhere;
}
.block {
  display: block;
}
.state {
  white-space: nowrap;
}
.quiet {
  color: inherit;
}
</style>
