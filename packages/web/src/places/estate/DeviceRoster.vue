<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { DevicePage, GapView, PolicyListing, RosterWatch } from '#contract'
import {
  joinedPatterns,
  targetSentence,
  valueText,
  watchKind,
  type ChainLink,
  type ParameterValue,
  type PolicyStep,
  type Source,
} from '#core'
import { api } from '../../parts/data/api'
import { asOf } from '../../parts/data/asOf'
import { useEstateNames } from '../../parts/data/estateNames'
import { useKeys } from '../../parts/shell/keys'
import { attempt, done } from '../../parts/ui/notify'
import EditorPopover from '../../parts/ui/EditorPopover.vue'
import { editorWidth } from '../../parts/ui/editorWidth'
import ParameterEditor from '../../parts/ui/ParameterEditor.vue'
import { useResource } from '../../parts/data/resource'
import RuleSentence from '../../parts/ui/RuleSentence.vue'
import { useSession } from '../../parts/data/session'
import PolicyLink from '../../parts/ui/PolicyLink.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { exactText, shortText } from '../../parts/format/time'
import ChangeDialog from '../policy/impact/ChangeDialog.vue'
import CountersTrial from '../policy/templates/CountersTrial.vue'
import InstanceTrial from '../policy/templates/InstanceTrial.vue'
import { gapWords } from '../rollout/coverage/gapWords'
import WhatIf from './WhatIf.vue'

const props = defineProps<{ device: DevicePage }>()
const session = useSession()
const { data, error, refresh } = useResource(() => api.get<RosterWatch[]>(`/devices/${props.device.id}/roster`), {
  topics: ['policy', 'estate'],
})
const gaps = useResource(
  () => (session.mayChange ? api.get<GapView[]>(`/devices/${props.device.id}/coverage`) : Promise.resolve([])),
  { topics: ['policy', 'estate'] },
)

const names = useEstateNames(() => new Map([[props.device.id, 'this device']]))
const target = (source: Source) => (source.target ? targetSentence(source.target, names.value) : '')
const sourceText = (source: Source) =>
  ({
    default: 'the default of the watch',
    template: `${source.name}, revision ${source.revision}, for ${target(source)}`,
    assignment: `the assignment of ${source.name} to ${target(source)}`,
    exception: `an exception for ${target(source)}: ${source.name}`,
  })[source.from]
const parameterOf = (watch: RosterWatch, name: string) =>
  watchKind(watch.kind).parameters.find((parameter) => parameter.name === name)!
const linkText = (watch: RosterWatch, name: string, link: ChainLink) => valueText(parameterOf(watch, name), link.value)
/** Those that count: the first, or all that add to it. */
const heard = (watch: RosterWatch, name: string) => {
  const links = watch.chains[name] ?? []
  const adding = links.filter(({ source, dormant }) => source.from !== 'default' && !dormant)
  return parameterOf(watch, name).adds && adding.length ? adding : links.slice(0, 1)
}
const hint = (watch: RosterWatch) => (name: string) =>
  `from ${heard(watch, name).map(({ source }) => sourceText(source)).join('; and ')}`
const own = (watch: RosterWatch) => (name: string) => heard(watch, name).some(({ source }) => source.from === 'exception')

const open = ref<{ watch: RosterWatch; name: string; element: HTMLElement } | null>(null)
const editing = ref(false)
const value = ref<ParameterValue>(null)
const reason = ref('')
const typed = ref(false)
const adds = computed(() => open.value !== null && parameterOf(open.value.watch, open.value.name).adds === true)
/** How the things of this device are chosen by the value that is open. */
const choosing = computed(() => {
  const found = open.value && watchKind(open.value.watch.kind).choosing
  return found && [found.include, found.except].includes(open.value!.name) ? found : null
})
/** What others say of a list that everybody adds to, and this device with it. */
const withOthers = computed(() => {
  if (!open.value || !adds.value) return value.value
  const { watch, name } = open.value
  return joinedPatterns([(value.value ?? []) as readonly string[], watch.values[name] as readonly string[]])
})
const chain = computed(() => open.value?.watch.chains[open.value.name] ?? [])
function show(watch: RosterWatch, name: string, element: HTMLElement): void {
  open.value = { watch, name, element }
  editing.value = typed.value = false
  value.value = parameterOf(watch, name).adds ? [] : (watch.values[name] ?? null)
  reason.value = ''
}
/** What it opens needs room below the value. */
function edit(): void {
  editing.value = true
  open.value?.element.scrollIntoView({ block: 'start' })
}
// The chain stands beside the page; the focus may be on the value that opened it.
useKeys('Roster', [
  {
    key: 'Escape',
    does: 'close the chain of a value',
    run: () => {
      open.value = null
    },
  },
])
async function except(body: object, said: string): Promise<void> {
  if (
    await attempt(() =>
      api.post('/exceptions', {
        target: { on: 'devices', deviceIds: [props.device.id] },
        values: {},
        leftOut: false,
        reason: reason.value,
        ownerId: session.person?.id ?? null,
        ...body,
      }),
    )
  ) {
    open.value = null
    leaving.value = null
    done(said)
    await refresh()
  }
}
const takingBack = ref<{ title: string; steps: PolicyStep[] } | null>(null)
async function cancelTasks(source: Source): Promise<void> {
  if (source.target?.on !== 'devices' || source.target.deviceIds.length > 1) {
    // It reaches others too: what that does is shown first.
    const found = (await attempt(() => api.get<PolicyListing>('/policy')))?.exceptions.find(
      (exception) => exception.id === source.id,
    )
    if (found)
      takingBack.value = {
        title: `Remove the exception for ${found.targetText}`,
        steps: [{ of: 'exception', id: found.id, basedOn: found.revision, to: null }],
      }
    open.value = null
    return
  }
  if (await attempt(() => api.delete(`/exceptions/${source.id}`))) {
    open.value = null
    done('The exception is gone; the value follows the template again.')
    await refresh()
  }
}
const leaving = ref<string | null>(null)
const asking = ref(false)
const told = computed(() => {
  const { sentAt, confirmedAt } = props.device.roster
  if (confirmedAt !== null)
    return {
      text: `Confirmed by the agent ${shortText(confirmedAt)}.`,
      exact:
        sentAt === null ? exactText(confirmedAt) : `sent ${exactText(sentAt)}, confirmed ${exactText(confirmedAt)}`,
    }
  // Only the last time is kept: that it was sent again since does not say that it was not sent before.
  if (asOf.value !== null) return { text: 'Whether its agent had it then is not kept.', exact: '' }
  return sentAt === null
    ? {
        text: 'Not sent to the agent yet.',
        exact: 'It is sent as soon as the agent asks, which it does all the time while it runs.',
      }
    : { text: `Sent ${shortText(sentAt)}, not confirmed by the agent yet.`, exact: exactText(sentAt) }
})
</script>

<template>
  <p class="muted intro"><span data-told :title="told.exact">{{ told.text }}</span> What this device really gets. Point
    at a value for where it comes from, click it for the whole chain.
    <button v-if="session.mayChange" class="link" :aria-expanded="asking" @click="asking = !asking">What would it get
      if…</button></p>
  <WhatIf v-if="asking" :device="device" />
  <p v-if="gaps.data.value?.length" class="intro">Its roles need more than it has:
    {{ gaps.data.value.map((gap) => `${gapWords(gap).name} ${gapWords(gap).rest}`).join('; ') }}.
    <RouterLink to="/rollout?part=coverage">Close these gaps</RouterLink></p>
  <StateNotice
    :error="error"
    :loading="!data"
    :empty="data && !data.length ? 'No template reaches this device. Assign one in Policy, or give the device a role.' : ''"
    @again="refresh"
  />
  <div v-for="watch in data" :key="watch.key" class="watch" :class="{ asleep: watch.standing !== 'active' }">
    <div>
      <RuleSentence
        :parts="watch.sentence"
        :hint="hint(watch)"
        :marked="own(watch)"
        @pick="(name, element) => show(watch, name, element)"
      />
      <p class="faint">{{ watch.why }}</p>
    </div>
    <div class="from">
      <b>{{ watch.name }}</b>
      <RouterLink class="link" :to="{ path: `/estate/${device.id}/why`, query: { watch: watch.key } }">why</RouterLink>
      <span v-for="source in watch.broughtBy" :key="source.id"><PolicyLink :template-id="source.id">{{ source.name }}</PolicyLink> <span class="muted">for {{ target(source) }}</span></span>
      <span v-if="watch.standing === 'left out'" class="warning">left out: {{ watch.leftOutBy?.name }}
        <button v-if="session.mayChange" class="link" @click="cancelTasks(watch.leftOutBy!)">put back</button></span>
      <span v-else-if="watch.standing === 'dormant'" class="muted">paused</span>
      <template v-else-if="session.mayChange">
        <button v-if="leaving !== watch.key" class="link" @click="leaving = watch.key; reason = ''">leave out…</button>
        <form v-else @submit.prevent="except({ watch: watch.key, leftOut: true }, 'Left out for this device.')">
          <ElInput v-model="reason" placeholder="Why?" aria-label="Why it is left out" required minlength="3" autofocus />
          <button class="btn">Leave out</button>
        </form>
      </template>
    </div>
  </div>
  <EditorPopover v-if="open" :key="open.watch.key + open.name" :at="open.element" :width="editorWidth(parameterOf(open.watch, open.name), 380)">
    <div class="chain" role="dialog" aria-label="Where this value comes from" @keydown.esc="open = null">
      <p><b>{{ parameterOf(open.watch, open.name).label }}</b> <button class="link close" @click="open = null">close</button></p>
      <ol>
        <li v-for="(link, i) in chain" :key="i" :class="{ beaten: !heard(open.watch, open.name).includes(link) }"><b>{{ linkText(open.watch, open.name, link) }}</b>
          from {{ sourceText(link.source) }}<span v-if="link.dormant"> (paused)</span> <button
          v-if="link.source.from === 'exception' && session.mayChange"
          class="link"
          @click="cancelTasks(link.source)"
        >remove</button></li>
      </ol>
      <template v-if="session.mayChange">
        <button v-if="!editing" class="btn" @click="edit">{{ adds ? 'Leave out more on this device' : 'Give this device its own value' }}</button>
        <ParameterEditor
          v-else-if="!typed"
          :parameter="parameterOf(open.watch, open.name)"
          :value="value"
          @change="(chosen) => { value = chosen; typed = true }"
          @typing="(chosen) => { value = chosen }"
          @cancel="editing = false"
        >
          <template #default="{ typed: lines }">
          <CountersTrial
            v-if="parameterOf(open.watch, open.name).type === 'lines'"
            :values="{ ...open.watch.values, [open.name]: lines }"
          />
          <InstanceTrial
            v-if="choosing"
            :choosing="choosing"
            :values="open.watch.values"
            :typing="{ name: open.name, value: withOthers }"
            :targets="[]"
            :device="device"
            @pick="(name) => { value = adds ? [...((value ?? []) as string[]), name] : value }"
          />
          </template>
        </ParameterEditor>
        <form
          v-else
          @submit.prevent="except({ watch: open.watch.key, values: { [open.name]: value } }, 'This device keeps its own value now.')"
        >
          <p v-if="adds">{{ valueText(parameterOf(open.watch, open.name), value) }} for {{ device.name }}, beside what others
            leave out.</p>
          <p v-else>{{ valueText(parameterOf(open.watch, open.name), value) }} for {{ device.name }}. Everyone else goes on
            following the template.</p>
          <ElInput
            v-model="reason"
            placeholder="Why this device needs it"
            aria-label="Reason"
            required
            minlength="3"
            autofocus />
          <button class="btn main">Make the exception</button>
        </form>
      </template>
    </div>
  </EditorPopover>
  <ChangeDialog
    v-if="takingBack"
    v-bind="takingBack"
    verb="Remove it, for"
    said="The exception is gone; the devices follow the template again."
    @close="takingBack = null; refresh()"
  />
</template>

<style scoped>
:deep([data-parameter]) {
  scroll-margin-top: 150px;
}
.intro {
  padding: 8px 0;
}
.watch {
  display: grid;
  grid-template-columns: 1fr 300px;
  gap: 30px;
  padding: 9px 0;
  border-bottom: 1px solid var(--rule2);
}
@media (max-width: 900px) {
  .watch {
    grid-template-columns: minmax(0, 1fr);
  }
}
.asleep .sentence {
  opacity: 0.6;
}
.from {
  display: grid;
  align-content: start;
  gap: 1px;
  justify-items: start;
}
ol {
  margin: 6px 0 10px;
  padding: 0;
  list-style: none;
}
li {
  padding: 3px 0;
  border-bottom: 1px solid var(--rule2);
}
.beaten {
  color: var(--ink2);
}
.beaten b {
  text-decoration: line-through;
  font-weight: 400;
}
.close {
  float: right;
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
input {
  flex: 1;
  min-width: 160px;
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--ink2);
  border-radius: 3px;
  padding: 3px 8px;
}
</style>
