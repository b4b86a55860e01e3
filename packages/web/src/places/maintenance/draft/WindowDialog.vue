<script setup lang="ts">
import { ElDatePicker } from 'element-plus/es/components/date-picker/index'
import 'element-plus/es/components/date-picker/style/css'
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { computed, ref } from 'vue'
import type {
  ChangeScope,
  Client,
  Made,
  TargetMatches,
  WindowPosts,
  WindowPreview as Preview,
  WindowView,
} from '#contract'
import { durationText, type Millis } from '#core'
import { useAnswer } from '../../../parts/data/answer'
import { api } from '../../../parts/data/api'
import { useSession } from '../../../parts/data/session'
import { fullText } from '../../../parts/format/time'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import FaultLines from '../../../parts/ui/FaultLines.vue'
import TargetBuilder from '../../policy/target/TargetBuilder.vue'
import { bodyOf, emptyForm, formOf, lengths, targetOf, timesFor, type Begin, type WindowForm } from './form'
import RepeatField from './RepeatField.vue'
import SubjectField from './SubjectField.vue'
import WindowFields from './WindowFields.vue'
import WindowPreview from './WindowPreview.vue'

/**
 * A window as a sentence: what is held back where, from when, for how long and how often, with what it would do beside
 * it. Made anew, as a copy, or changed: one of its times, that and all after it, or all.
 */
const props = defineProps<{
  begin?: Begin
  /** What chosen devices are called together. */
  devicesName?: string
  /** As it was written elsewhere: a copy, say. */
  written?: WindowForm
  /** The window that is changed… */
  changed?: WindowView
  /** …and which of its times, where only that one was meant at first. */
  scope?: ChangeScope
}>()
const emit = defineEmits<{ close: []; saved: [id: number] }>()
const session = useSession()
const { changed } = props
const repeats = changed !== undefined && changed.rule !== null
const scope = ref<ChangeScope>(props.scope ?? 'all')
const begin = (): Begin => ({ clientId: session.clientId ?? session.clients[0]?.id ?? 0, ...props.begin })
const start = (): WindowForm =>
  props.written ?? (changed ? formOf(changed, scope.value === 'all' ? null : changed.start) : emptyForm(begin()))
const form = ref<WindowForm>(start())
/** Of one time its own times stand in the sentence, of all of them those of the rule. */
function rescope(): void {
  if (!changed) return
  const dragged = props.scope === 'one' ? props.written : undefined
  const one = dragged ?? formOf(changed, scope.value === 'all' ? null : changed.start)
  form.value = { ...form.value, ...timesFor(changed, scope.value, one) }
}
const isOne = computed(() => scope.value === 'one' && repeats)
const client = computed((): Client | undefined => session.clients.find(({ id }) => id === form.value.clientId))
const zones = computed(() => {
  const near = preview.value?.zones ?? []
  const all = Intl.supportedValuesOf('timeZone')
  return [...new Set([...near, ...all, 'UTC'])]
})
const zone = computed({
  get: () => form.value.zone ?? '',
  set: (value: string) => {
    form.value.zone = value || null
  },
})
const length = computed({
  get: () => (form.value.ends === 'length' ? String(form.value.length) : form.value.ends),
  set: (value: string) => {
    if (value === 'at' || value === 'open') form.value.ends = value
    else {
      form.value.ends = 'length'
      form.value.length = Number(value) as Millis
    }
  },
})
const offered = computed(() =>
  lengths.some(([each]) => each === form.value.length)
    ? lengths
    : ([...lengths, [form.value.length, durationText(form.value.length)]] as const),
)
const matches = ref<TargetMatches | null>(null)
const name = computed(() => {
  if (form.value.where === 'device') return `Maintenance of ${props.devicesName ?? 'chosen devices'}`
  if (form.value.where === 'everyone') return 'Maintenance of every client'
  return `Maintenance of ${client.value?.name ?? 'devices'}`
})
const body = () => bodyOf(form.value, name.value)
const why = ref('')
const isComplete = computed(
  () =>
    (form.value.where !== 'target' || matches.value?.faults.length === 0) &&
    (form.value.subject.of !== 'watches' || form.value.subject.watches.length > 0) &&
    (form.value.repeat !== 'rule' || form.value.rule.trim() !== ''),
)
const { answer: preview, error } = useAnswer(
  () => (isComplete.value && !isOne.value ? { id: changed?.id ?? null, window: body() } : null),
  (asked) => (asked ? api.post<Preview>('/windows/preview', asked) : null),
  { rest: 250 },
)
const { answer: posts } = useAnswer(
  () =>
    isComplete.value && !isOne.value
      ? { target: targetOf(form.value), subject: form.value.subject, after: null }
      : null,
  (asked) => (asked ? api.post<WindowPosts>('/windows/posts', asked) : null),
  { rest: 250 },
)
const busy = ref(false)
const { faults, send } = useChecked(async () => (await import('#contract')).newWindowSchema, body)
const save = () =>
  changed
    ? api.post<Made>(`/windows/${changed.id}/change`, {
        revision: changed.revision,
        scope: repeats ? scope.value : 'all',
        start: repeats && scope.value !== 'all' ? changed.start : null,
        why: why.value.trim(),
        window: body(),
      })
    : api.post<Made>('/windows', body())
async function submit(): Promise<void> {
  busy.value = true
  const made = await send(save)
  busy.value = false
  if (!made) return
  done(
    changed
      ? 'Changed. It is in force as it stands.'
      : form.value.begins === 'now'
        ? 'Alerts are held back from now on.'
        : 'The window is planned.',
  )
  emit('saved', made.id)
  emit('close')
}
const fields = {
  target: 'Where',
  subject: 'What',
  from: 'From',
  until: 'For',
  length: 'For',
  rule: 'Rule',
  zone: 'Zone',
  name: 'Name',
  reason: 'Why',
  ticket: 'Ticket',
  ownerId: 'Owner',
  reviewAt: 'Review on',
}
</script>

<template>
  <ElDialog
    :model-value="true"
    :title="changed ? 'Change a window' : 'Hold alerts back'"
    width="min(1040px, 96vw)"
    top="6vh"
    append-to-body
    @close="emit('close')"
  >
    <form class="window" @submit.prevent="submit">
      <div class="main">
        <p v-if="repeats" class="sentence">Change
          <ChoiceField v-model="scope" label="Which times" @change="rescope">
            <option value="one">only that of {{ fullText(changed!.from) }}</option>
            <option value="following">that of {{ fullText(changed!.from) }} and all after it</option>
            <option value="all">all that are to come</option>
          </ChoiceField></p>
        <p class="sentence"><template v-if="!isOne">Hold
          <SubjectField
            :subject="form.subject"
            :posts="posts"
            @change="(subject) => { form.subject = subject }"
          /> of
          <ChoiceField v-model="form.where" label="Where">
            <option v-if="form.deviceIds.length" value="device">{{ devicesName }}</option>
            <option value="client">all of {{ client?.name ?? 'a client' }}</option>
            <option v-for="site in client?.sites" :key="site.id" :value="`site${site.id}`">{{ site.name }}</option>
            <option v-if="session.isLead" value="everyone">every client</option>
            <option value="target">devices that…</option>
          </ChoiceField>
          <template
            v-if="form.where !== 'everyone' && form.where !== 'target' && form.where !== 'device' && session.clients.length > 1"
          > at
            <ChoiceField v-model="form.clientId" label="Client" @change="form.where = 'client'">
              <option v-for="each in session.clients" :key="each.id" :value="each.id">{{ each.name }}</option>
            </ChoiceField></template></template> from
          <ChoiceField v-if="!changed" v-model="form.begins" label="From">
            <option value="now">now</option>
            <option value="at">a start</option>
          </ChoiceField>
          <ElDatePicker
            v-if="form.begins === 'at'"
            v-model="form.at"
            type="datetime"
            format="YYYY-MM-DD HH:mm"
            value-format="YYYY-MM-DDTHH:mm:ss"
            :clearable="false"
            aria-label="Beginning"
            style="width: 178px"
          /> for
          <ChoiceField v-model="length" label="For">
            <option v-for="[millis, text] in offered" :key="millis" :value="String(millis)">{{ text }}</option>
            <option v-if="form.repeat === 'once'" value="at">until a time</option>
            <option v-if="form.repeat === 'once'" value="open">no end: until somebody ends it</option>
          </ChoiceField>
          <ElDatePicker
            v-if="form.ends === 'at' && form.repeat === 'once'"
            v-model="form.untilAt"
            type="datetime"
            format="YYYY-MM-DD HH:mm"
            value-format="YYYY-MM-DDTHH:mm:ss"
            :clearable="false"
            aria-label="End"
            style="width: 178px"
          /><template v-if="!isOne">,
          <RepeatField v-model="form" />, on the clocks of
          <ChoiceField v-model="zone" label="Zone">
            <option value="">{{ preview ? preview.zone : 'its site' }}</option>
            <option v-for="each in zones" :key="each" :value="each">{{ each }}</option>
          </ChoiceField></template>.</p>
        <TargetBuilder
          v-if="form.where === 'target' && !isOne"
          :target="form.target"
          @change="(target) => { form.target = target; matches = null }"
          @matches="(found) => { matches = found }"
        />
        <p
          v-if="form.ends === 'open'"
          class="warning"
        >A window without an end is the one that is forgotten. It is listed
          for review{{ form.reviewAt ? '' : ' in a week' }}, until somebody ends it.</p>
        <WindowFields
          v-model="form"
          v-model:why="why"
          :fallback="name"
          :owner="changed?.owner ?? session.person?.name ?? 'me'"
          :is-one="isOne"
          :is-change="changed !== undefined"
        />
        <FaultLines :faults="faults" :fields="fields" />
        <p class="muted">Alerts that are open already stay open. What still fails at the end is raised then, with its true
          beginning.</p>
        <div class="row last">
          <button
            class="btn main"
            :disabled="busy || !isComplete"
          >{{ changed ? 'Save the change' : 'Hold alerts back' }}</button>
          <button type="button" class="btn" @click="emit('close')">Cancel</button>
        </div>
      </div>
      <WindowPreview
        v-if="!isOne"
        :preview="preview"
        :posts="posts"
        :problem="error?.message ?? ''"
        :window="body()"
      />
    </form>
  </ElDialog>
</template>

<style scoped>
.window {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 330px;
  gap: 20px;
  max-height: 76vh;
  overflow: auto;
}
.main {
  display: grid;
  gap: 12px;
  align-content: start;
}
.sentence {
  line-height: 36px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
}
.last {
  position: sticky;
  bottom: 0;
  z-index: 1;
  padding: 8px 0 2px;
  background: var(--sheet);
}
@media (max-width: 900px) {
  .window {
    grid-template-columns: 1fr;
  }
}
</style>
