<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput, type InputInstance } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, nextTick, ref, useTemplateRef } from 'vue'
import type { PersonListed, RequestAct, RequestPage } from '#contract'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import { askerText } from '../../parts/format/requestWords'
import { fullText } from '../../parts/format/time'
import { useKeys } from '../../parts/shell/keys'
import ChoiceField from '../../parts/ui/ChoiceField.vue'
import { confirmed } from '../../parts/ui/confirm'
import { attempt, done } from '../../parts/ui/notify'
import { hidingTimes } from '../rounds/hiding'

/** What somebody does with a request: answer, take, hand over, put off, note, close. */
const props = defineProps<{ request: RequestPage }>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const me = computed(() => session.person?.id)
const isOpen = computed(() => props.request.status !== 'closed')
const isMine = computed(() => props.request.takenById === me.value && isOpen.value)
const isOffered = computed(() => props.request.offeredToId === me.value && isOpen.value)

const mode = ref<'answer' | 'hand-over' | 'hide' | null>(null)
const busy = ref(false)
async function send(work: () => Promise<unknown>, said: string): Promise<boolean> {
  busy.value = true
  const answer = await attempt(work)
  busy.value = false
  if (!answer) return false
  done(said)
  mode.value = null
  emit('changed')
  return true
}
const act = (what: Omit<RequestAct, 'text'> & { text?: string }, said: string) =>
  send(() => api.post(`/requests/${props.request.id}/acts`, { text: '', ...what }), said)
async function take(): Promise<void> {
  const { takenBy } = props.request
  if (takenBy && !isMine.value && !isOffered.value && !(await confirmed(`${takenBy} has it. Take it over all the same?`, 'Take over')))
    return
  await act({ do: 'take' }, 'It is yours.')
}

const text = ref('')
const field = useTemplateRef<InputInstance>('field')
async function begin(what: typeof mode.value): Promise<void> {
  mode.value = mode.value === what ? null : what
  await nextTick()
  field.value?.focus()
}
const answer = ref('')
const closes = ref(false)
async function sendAnswer(): Promise<void> {
  const body = { text: answer.value.trim(), close: closes.value }
  // What somebody wrote is gone only once it is kept.
  if (await send(() => api.post(`/requests/${props.request.id}/answers`, body), 'The answer leaves by mail; how that goes shows here.')) {
    answer.value = ''
    closes.value = false
  }
}
const isHandingOver = computed(() => mode.value === 'hand-over')
const people = useResource(() => (isHandingOver.value ? api.get<PersonListed[]>('/people') : Promise.resolve([])), {
  sources: [isHandingOver],
})
const colleagues = computed(() => (people.data.value ?? []).filter(({ id, access }) => access !== 'contact' && id !== me.value))
const personId = ref(0)
const times = hidingTimes(new Date())
const until = ref(times[0]!.at)
const note = ref('')
async function addNote(): Promise<void> {
  if (await act({ do: 'note', text: note.value.trim() }, 'Noted.')) note.value = ''
}
useKeys(
  'Request',
  session.mayChange
    ? [
        { key: 't', does: 'take the request', run: () => void take() },
        { key: 'r', does: 'answer it by mail', run: () => void begin('answer') },
        { key: 'o', does: 'hand the request over to somebody', run: () => void begin('hand-over') },
        { key: 'u', does: 'put the request off until a time', run: () => void begin('hide') },
      ]
    : [],
)
</script>

<template>
  <div v-if="session.mayChange" class="acts">
    <p v-if="isOffered" class="offer">{{ request.offeredBy }} hands it to you<template v-if="request.offeredWord">: “{{ request.offeredWord }}”</template>
      <button class="btn main" :disabled="busy" @click="act({ do: 'take' }, 'It is yours.')">Accept</button>
      <button class="btn" :disabled="busy" @click="act({ do: 'decline' }, 'Not accepted.')">Do not accept</button></p>
    <template v-if="isOpen">
      <button v-if="!isMine" class="btn" :class="{ main: !isOffered }" :disabled="busy" @click="take">Take <kbd>t</kbd></button>
      <button class="btn" :class="{ main: isMine }" :aria-expanded="mode === 'answer'" @click="begin('answer')">Answer… <kbd>r</kbd></button>
      <button v-if="isMine" class="btn" :disabled="busy" @click="act({ do: 'give-back' }, 'Given back to everybody.')">Give back</button>
      <button class="btn" :aria-expanded="mode === 'hand-over'" @click="begin('hand-over')">Hand over… <kbd>o</kbd></button>
      <button v-if="request.hiddenUntil === null" class="btn" :aria-expanded="mode === 'hide'" @click="begin('hide')">Put off… <kbd>u</kbd></button>
      <button v-else class="btn" :disabled="busy" @click="act({ do: 'show' }, 'Shown again.')">Show again</button>
      <button class="btn" :disabled="busy" @click="act({ do: 'close' }, 'Closed. It opens again if they write again.')">Close</button>
    </template>
    <button v-else class="btn" :disabled="busy" @click="act({ do: 'reopen' }, 'Open again.')">Open again</button>
    <form v-if="mode === 'answer'" class="answer" @submit.prevent="sendAnswer">
      <ElInput
        ref="field"
        v-model="answer"
        type="textarea"
        :rows="7"
        :aria-label="`Answer to ${askerText(request)}`"
        :placeholder="`To ${request.answersTo}. Your name and what they wrote stand below it.`"
        maxlength="20000"
        @keydown.esc.stop="mode = null"
      />
      <p class="row"><button class="btn main" :disabled="busy || !answer.trim()">Send the answer</button>
        <ElCheckbox v-model="closes">and close it</ElCheckbox></p>
    </form>
    <form v-if="mode === 'hand-over'" @submit.prevent="act({ do: 'hand-over', personId, text: text.trim() }, 'Handed over; they can accept it or not.')">
      <ChoiceField v-model="personId" label="To whom">
        <option :value="0">to whom?</option>
        <option v-for="person in colleagues" :key="person.id" :value="person.id">{{ person.name }}</option>
      </ChoiceField>
      <ElInput ref="field" v-model="text" aria-label="A word with it" placeholder="A word with it" maxlength="500" @keydown.esc.stop="mode = null" />
      <button class="btn" :disabled="personId === 0 || busy">Hand over</button>
    </form>
    <form v-if="mode === 'hide'" @submit.prevent="act({ do: 'hide', until, text: text.trim() }, `Put off until ${fullText(until)}.`)">
      <ChoiceField v-model="until" label="Until when">
        <option v-for="time in times" :key="time.at" :value="time.at">{{ time.text }}</option>
      </ChoiceField>
      <ElInput ref="field" v-model="text" aria-label="What it waits for" placeholder="What it waits for" maxlength="500" @keydown.esc.stop="mode = null" />
      <button class="btn" :disabled="busy">Put off</button>
    </form>
    <form @submit.prevent="addNote">
      <ElInput v-model="note" aria-label="Note" placeholder="Add a note, for colleagues alone" maxlength="2000" required />
      <button class="btn" :disabled="busy">Note</button>
    </form>
  </div>
</template>

<style scoped>
/* As wide as what was written below it. */
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 14px;
  max-width: 760px;
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
form .el-input,
form .el-textarea {
  flex: 1;
  min-width: 160px;
}
.answer {
  flex-direction: column;
}
.row {
  display: flex;
  gap: 14px;
  align-items: center;
}
</style>
