<script setup lang="ts">
import { ElDatePicker } from 'element-plus/es/components/date-picker/index'
import 'element-plus/es/components/date-picker/style/css'
import { ElInput, type InputInstance } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, nextTick, ref, useTemplateRef } from 'vue'
import type { AlertActed, AlertsAct, AlertView, PersonListed } from '#contract'
import { countText } from '#core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import { fullText } from '../../parts/format/time'
import { useKeys } from '../../parts/shell/keys'
import ChoiceField from '../../parts/ui/ChoiceField.vue'
import { confirmed } from '../../parts/ui/confirm'
import { attempt, done, refused } from '../../parts/ui/notify'
import { hidingTimes } from './hiding'

/** What somebody does with an alert, or many at once: take, hand over, hide until a time, note, close, open again. */
const props = defineProps<{ alerts: readonly AlertView[] }>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const me = () => session.person?.id
const open = computed(() => props.alerts.filter(({ status }) => status !== 'closed'))
const mine = computed(() => open.value.filter(({ takenById }) => takenById === me()))
const offered = computed(() => open.value.filter(({ offeredToId }) => offeredToId === me()))
const hidden = computed(() => open.value.filter(({ hiddenUntil }) => hiddenUntil !== null))
const dismissed = computed(() => props.alerts.filter(({ closeReason }) => closeReason === 'by-hand'))

type Act = Pick<AlertsAct, 'do'> & Partial<AlertsAct>
async function act(alerts: readonly AlertView[], what: Act, said: string): Promise<void> {
  if (!alerts.length || !session.mayChange) return
  const body = { ids: alerts.map(({ id }) => id), text: '', ...what }
  const acted = await attempt(() => api.post<AlertActed[]>('/alerts/acts', body))
  if (!acted) return
  const failed = acted.filter(({ problem }) => problem !== null)
  if (failed.length === acted.length) refused({ message: failed[0]!.problem! })
  else done(failed.length ? `${said} ${failed.length} of ${acted.length} not: ${failed[0]!.problem}` : said)
  mode.value = null
  emit('changed')
}
/** From somebody who has it: asked first. */
async function take(): Promise<void> {
  const others = open.value.filter(({ takenById }) => takenById !== null && takenById !== me())
  const from = [...new Set(others.map(({ takenBy }) => takenBy))].join(', ')
  if (
    others.length &&
    !offered.value.length &&
    !(await confirmed(
      `${from} has taken ${others.length === 1 ? 'it' : `${others.length} of them`}. Take over all the same?`,
      'Take over',
    ))
  )
    return
  await act(open.value, { do: 'take' }, open.value.length === 1 ? 'It is yours.' : 'They are yours.')
}
const giveBack = () => act(mine.value, { do: 'give-back' }, 'Given back to everybody.')

const askAgain = () =>
  act(
    open.value.filter(({ deviceId }) => deviceId !== null),
    { do: 'ask-again' },
    'Asked: it reads everything again, and reports within seconds.',
  )

const mode = ref<'close' | 'hand-over' | 'hide' | 'follow-up' | null>(null)
const text = ref('')
const field = useTemplateRef<InputInstance>('field')
async function begin(what: typeof mode.value): Promise<void> {
  mode.value = mode.value === what ? null : what
  text.value = ''
  await nextTick()
  field.value?.focus()
}
const isHandingOver = computed(() => mode.value === 'hand-over')
const people = useResource(() => (isHandingOver.value ? api.get<PersonListed[]>('/people') : Promise.resolve([])), {
  sources: [isHandingOver],
})
const colleagues = computed(() =>
  (people.data.value ?? []).filter(({ id, access }) => access !== 'contact' && id !== me()),
)
const personId = ref(0)
const handOver = () =>
  act(
    open.value,
    { do: 'hand-over', personId: personId.value, text: text.value.trim() },
    `Handed to ${colleagues.value.find(({ id }) => id === personId.value)?.name}, who can accept it or not.`,
  )
const times = hidingTimes(new Date())
const hideFor = ref('0')
const hideAt = ref(new Date(times[0]!.at))
const hideUntil = computed(() => (hideFor.value === 'at' ? hideAt.value.getTime() : times[Number(hideFor.value)]!.at))
const hide = () =>
  act(
    open.value,
    { do: 'hide', until: hideUntil.value, text: text.value.trim() },
    `Hidden until ${fullText(hideUntil.value)}, or until it gets worse.`,
  )
const followUp = () =>
  act(
    open.value,
    { do: 'follow-up', until: hideUntil.value, text: text.value.trim() },
    `${open.value.length === 1 ? 'It is' : 'They are'} yours, to be looked at again by ${fullText(hideUntil.value)}.`,
  )
const close = () =>
  act(
    open.value,
    { do: 'close', text: text.value.trim() },
    'Closed. It opens again if it gets worse, or fails again within the hour after recovering.',
  )
const note = ref('')
const noteField = useTemplateRef<InputInstance>('noteField')
async function addNote(): Promise<void> {
  await act(props.alerts, { do: 'note', text: note.value.trim() }, 'Noted.')
  note.value = ''
}
useKeys(
  'Alert',
  session.mayChange
    ? [
        { key: 't', does: 'take the alert', run: () => void take() },
        { key: 'g', does: 'give the alert back to everybody', run: () => void giveBack() },
        { key: 'o', does: 'hand the alert over to somebody', run: () => void begin('hand-over') },
        { key: 'u', does: 'hide the alert until a time', run: () => void begin('hide') },
        { key: 'f', does: 'say when you look at it again', run: () => void begin('follow-up') },
        { key: 'q', does: 'have the agent read everything again, and report', run: () => void askAgain() },
        { key: 'a', does: 'add a note', run: () => noteField.value?.focus() },
        { key: 'c', does: 'close the alert, with a reason', run: () => void begin('close') },
      ]
    : [],
)
</script>

<template>
  <div v-if="session.mayChange" class="acts">
    <p
      v-if="offered.length"
      class="offer"
    >{{ offered[0]!.offeredBy }} hands {{ offered.length === 1 ? 'it' : countText(offered.length, 'alert') }} to you<template v-if="offered[0]!.offeredWord">: “{{ offered[0]!.offeredWord }}”</template>
      <button class="btn main" @click="act(offered, { do: 'take' }, 'It is yours.')">Accept</button>
      <button class="btn" @click="act(offered, { do: 'decline' }, 'Not accepted.')">Do not accept</button></p>
    <template v-if="open.length">
      <button
        v-if="mine.length < open.length"
        class="btn"
        :class="{ main: !offered.length }"
        @click="take"
      >Take <kbd>t</kbd></button>
      <button v-if="mine.length" class="btn" @click="giveBack">Give back <kbd>g</kbd></button>
      <button
        class="btn"
        :aria-expanded="mode === 'hand-over'"
        @click="begin('hand-over')"
      >Hand over… <kbd>o</kbd></button>
      <button class="btn" :aria-expanded="mode === 'hide'" @click="begin('hide')">Hide… <kbd>u</kbd></button>
      <button
        class="btn"
        :aria-expanded="mode === 'follow-up'"
        @click="begin('follow-up')"
      >Follow up… <kbd>f</kbd></button>
      <button
        v-if="open.some(({ deviceId }) => deviceId !== null)"
        class="btn"
        title="Its agent reads everything again and reports at once"
        @click="askAgain"
      >Ask again <kbd>q</kbd></button>
      <button v-if="hidden.length" class="btn" @click="act(hidden, { do: 'show' }, 'Shown again.')">Show again</button>
      <button class="btn" :aria-expanded="mode === 'close'" @click="begin('close')">Close… <kbd>c</kbd></button>
    </template>
    <slot></slot>
    <button
      v-if="dismissed.length"
      class="btn"
      @click="act(dismissed, { do: 'reopen' }, 'Open again.')"
    >Open again</button>
    <form v-if="mode === 'hand-over'" @submit.prevent="handOver">
      <ChoiceField v-model="personId" label="To whom">
        <option :value="0">to whom?</option>
        <option v-for="person in colleagues" :key="person.id" :value="person.id">{{ person.name }}</option>
      </ChoiceField>
      <ElInput
        ref="field"
        v-model="text"
        aria-label="A word with it"
        placeholder="A word with it"
        maxlength="500"
        @keydown.esc.stop="mode = null"
      />
      <button class="btn" :disabled="personId === 0">Hand over</button>
    </form>
    <form v-if="mode === 'hide' || mode === 'follow-up'" @submit.prevent="mode === 'hide' ? hide() : followUp()">
      <ChoiceField v-model="hideFor" :label="mode === 'hide' ? 'Until when' : 'Looked at again'">
        <option v-for="(time, i) in times" :key="i" :value="String(i)">{{ mode === 'hide' ? time.text : time.by }}</option>
        <option value="at">a time…</option>
      </ChoiceField>
      <ElDatePicker
        v-if="hideFor === 'at'"
        v-model="hideAt"
        type="datetime"
        format="YYYY-MM-DD HH:mm"
        :clearable="false"
        :aria-label="mode === 'hide' ? 'Hide until' : 'Looked at again by'"
        style="width: 178px"
      />
      <ElInput
        ref="field"
        v-model="text"
        :aria-label="mode === 'hide' ? 'Why it is hidden' : 'What is promised'"
        :placeholder="mode === 'hide' ? 'What it waits for' : 'What you promised'"
        maxlength="500"
        @keydown.esc.stop="mode = null"
      />
      <button class="btn">{{ mode === 'hide' ? 'Hide' : 'Take and follow up' }}</button>
    </form>
    <form v-if="mode === 'close'" @submit.prevent="close">
      <ElInput
        ref="field"
        v-model="text"
        aria-label="Why it is closed"
        placeholder="Why is it closed although it still fails?"
        minlength="3"
        required
        @keydown.esc.stop="mode = null"
      />
      <button class="btn">Close</button>
    </form>
    <form @submit.prevent="addNote">
      <ElInput ref="noteField" v-model="note" aria-label="Note" placeholder="Add a note" required />
      <button class="btn">Note <kbd>a</kbd></button>
    </form>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 16px;
}
.offer {
  width: 100%;
  border-left: 3px solid var(--act);
  padding: 4px 10px;
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  width: 100%;
}
form .el-input {
  flex: 1;
  min-width: 160px;
}
</style>
