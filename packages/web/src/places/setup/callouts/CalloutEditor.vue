<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { CalloutRehearsal, CalloutRuleBody, CalloutRuleView } from '#contract'
import {
  alertCauses,
  causeWords,
  day,
  durationText,
  familyWords,
  hour,
  minute,
  readHours,
  severities,
  subjects,
  usualCallout,
  type CalloutRule,
  type Millis,
} from '#core'
import { useAnswer } from '../../../parts/data/answer'
import { api } from '../../../parts/data/api'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'
import TargetBuilder from '../../policy/target/TargetBuilder.vue'
import ManyField from './ManyField.vue'
import RehearsalPanel from './RehearsalPanel.vue'
import { keyOf, recipientChoices, recipientOf, useRecipients } from './recipients'

/** A call-out rule, written as its sentence, with what it would have sent in the last fortnight beside it. */
const props = defineProps<{ before: CalloutRuleView | null }>()
const emit = defineEmits<{ saved: []; close: [] }>()
const session = useSession()
const { teams, people, webhooks } = useRecipients()
const choices = computed(() =>
  recipientChoices(teams.data.value ?? [], people.data.value ?? [], webhooks.data.value ?? []),
)

const name = ref(props.before?.name ?? '')
const fresh: CalloutRuleBody['rule'] = {
  about: 'alerts',
  target:
    session.clientId === null
      ? { on: 'kind', kind: 'server' }
      : { on: 'all', of: [{ on: 'kind', kind: 'server' }, { on: 'client', clientId: session.clientId }] },
  severities: ['critical'],
  families: null,
  causes: null,
  hours: '',
  outside: 'later',
  tell: [{ to: 'leads' }],
  after: 0,
  again: usualCallout.again,
  escalate: { after: usualCallout.escalateAfter, tell: [{ to: 'leads' }] },
  remindAfter: usualCallout.remindAfter,
  sayWell: true,
}
function written({ clientId: _whose, ...rule }: CalloutRule): CalloutRuleBody['rule'] {
  return rule
}
const rule = ref<CalloutRuleBody['rule']>(structuredClone(props.before ? written(props.before.rule) : fresh))
const change = (part: Partial<CalloutRuleBody['rule']>) => {
  rule.value = { ...rule.value, ...part }
}

/** Mail is of a client, or of anybody; what else an alert is asked for it does not have. */
const isMail = computed(() => rule.value.about === 'mail')
const about = computed({
  get: () => rule.value.about,
  set: (what: CalloutRule['about']) =>
    change(
      what === 'mail'
        ? { about: what, target: clientTarget(session.clientId), families: null, causes: null, after: usualCallout.mailAfter, again: null, sayWell: false }
        : { ...fresh, tell: rule.value.tell },
    ),
})
const clientTarget = (id: number | null): CalloutRule['target'] => (id === null ? { on: 'everyone' } : { on: 'client', clientId: id })
const ofClient = computed({
  get: () => (rule.value.target.on === 'client' ? rule.value.target.clientId : 0),
  set: (id: number) => change({ target: clientTarget(id || null) }),
})
const clientChoices = computed(() => [
  { value: 0, text: 'any client, and whom nobody knows' },
  ...session.clients.map(({ id, name: text }) => ({ value: id, text })),
])

/** Lengths to choose from, and the one that is there. */
const lengths = [5, 10, 15, 20, 30, 40, 60, 120, 240, 480].map((minutes) => minutes * minute)
const longer = [4 * hour, 8 * hour, day, 2 * day, 3 * day, 7 * day]
const with_ = (list: readonly Millis[], value: Millis | null | undefined) =>
  value && !list.includes(value) ? [...list, value].toSorted((a, b) => a - b) : list
const severityChoices = [
  { value: 'critical', text: 'critical' },
  { value: 'warning,critical', text: 'warning and critical' },
  { value: 'notice,warning,critical', text: 'all' },
  { value: 'warning', text: 'warning' },
  { value: 'notice', text: 'notice' },
]
const severityKey = computed({
  get: () => severities.filter((severity) => rule.value.severities.includes(severity)).join(','),
  set: (key: string) => change({ severities: key.split(',') as CalloutRule['severities'] }),
})
const tell = computed({
  get: () => rule.value.tell.map(keyOf),
  set: (keys: string[]) => change({ tell: keys.map(recipientOf) }),
})
const escalateTell = computed({
  get: () => rule.value.escalate?.tell.map(keyOf) ?? [],
  set: (keys: string[]) =>
    change({ escalate: { after: rule.value.escalate?.after ?? usualCallout.escalateAfter, tell: keys.map(recipientOf) } }),
})
const escalateAfter = computed({
  get: () => rule.value.escalate?.after ?? null,
  set: (after: Millis | null) =>
    change({ escalate: after === null ? null : { after, tell: rule.value.escalate?.tell ?? [{ to: 'leads' }] } }),
})
const hasHours = computed({
  get: () => rule.value.hours !== '',
  set: (has: boolean) => change({ hours: has ? usualCallout.hours : '' }),
})
const hoursFault = computed(() =>
  rule.value.hours === '' || readHours(rule.value.hours) ? '' : 'Write hours like Mon–Fri 08:00–20:00.',
)
const families = computed({
  get: () => rule.value.families ?? [],
  set: (list: string[]) => change({ families: list.length ? (list as CalloutRule['families']) : null }),
})
const causes = computed({
  get: () => rule.value.causes ?? [],
  set: (list: string[]) => change({ causes: list.length ? (list as CalloutRule['causes']) : null }),
})
const isComplete = computed(
  () => rule.value.tell.length > 0 && rule.value.escalate?.tell.length !== 0 && hoursFault.value === '',
)

const body = (): CalloutRuleBody => ({
  name: name.value.trim(),
  rule: rule.value,
  ...(props.before ? { basedOn: props.before.revision } : {}),
})
const { answer, error, asking } = useAnswer(
  () => ({ ...body(), name: 'as it is written' }),
  (asked) => (isComplete.value ? api.post<CalloutRehearsal>('/callouts/rehearsal', asked) : null),
  { rest: 400 },
)
const { faults, send } = useChecked(async () => (await import('#contract')).calloutRuleBodySchema, body)
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  const saved = await send(() =>
    props.before ? api.put(`/callouts/${props.before.id}`, body()) : api.post('/callouts', body()),
  )
  busy.value = false
  if (!saved) return
  done(props.before ? `“${name.value.trim()}” is changed.` : `“${name.value.trim()}” tells of what is raised from now on.`)
  emit('saved')
}
</script>

<template>
  <form class="editor" :aria-label="before ? `Change ${before.name}` : 'A new rule'" @submit.prevent="save">
    <div class="name"><ElInput v-model="name" aria-label="Name of the rule" placeholder="name of the rule" maxlength="100" />
      <button class="btn main" :disabled="busy || !isComplete">{{ before ? 'Save' : 'Add the rule' }}</button>
      <button type="button" class="btn" @click="emit('close')">Cancel</button>
    </div>
    <p v-if="faults.name" class="critical">Name: {{ faults.name }}</p>
    <div class="two">
      <div>
        <p class="sentence">For
          <ChoiceField v-if="!isMail" v-model="severityKey" label="Severities" :choices="severityChoices" />{{ ' ' }}
          <ChoiceField v-model="about" label="Alerts or mail"><option value="alerts">alerts</option><option value="mail">mail from clients</option></ChoiceField>
          <template v-if="isMail">, of people of
            <ChoiceField v-model="ofClient" label="Whose mail" :choices="clientChoices" />,</template><template v-else> about
          <ManyField v-model="families" label="Families" none="anything" :choices="subjects.map((value) => ({ value, text: familyWords[value] }))" />
          because of
          <ManyField v-model="causes" label="Causes" none="any cause" :choices="alertCauses.map((value) => ({ value, text: causeWords[value] }))" />
          on the devices below,</template> tell
          <ManyField v-model="tell" label="Who is told" none="whom?" :choices="choices" />
          <ChoiceField :model-value="rule.after" label="When" @update:model-value="change({ after: $event })">
            <option :value="0">at once</option>
            <option v-for="length in with_(lengths, rule.after)" :key="length" :value="length">if nobody took it for {{ durationText(length) }}</option>
          </ChoiceField>,
          <ChoiceField v-model="hasHours" label="Hours or always">
            <option :value="false">at any hour</option>
            <option :value="true">at these hours:</option>
          </ChoiceField>
          <template v-if="hasHours">
            <ElInput :model-value="rule.hours" aria-label="Hours" class="hours" @update:model-value="change({ hours: $event })" />
            and outside of them
            <ChoiceField :model-value="rule.outside" label="Outside of the hours" @update:model-value="change({ outside: $event })">
              <option value="later">when they begin</option>
              <option value="never">not at all</option>
            </ChoiceField>
          </template>;
          again
          <ChoiceField :model-value="rule.again" label="Again" @update:model-value="change({ again: $event })">
            <option :value="null">never</option>
            <option v-for="length in with_(lengths, rule.again)" :key="length" :value="length">every {{ durationText(length) }}</option>
          </ChoiceField> until somebody takes it; not taken after
          <ChoiceField v-model="escalateAfter" label="Not taken after">
            <option :value="null">any time</option>
            <option v-for="length in with_(lengths, rule.escalate?.after)" :key="length" :value="length">{{ durationText(length) }}</option>
          </ChoiceField>, tell
          <ManyField v-if="rule.escalate" v-model="escalateTell" label="Who is told if nobody takes it" none="whom?" :choices="choices" /><template v-else>nobody else</template>; taken but untouched for
          <ChoiceField :model-value="rule.remindAfter" label="Untouched for" @update:model-value="change({ remindAfter: $event })">
            <option :value="null">any time</option>
            <option v-for="length in with_(longer, rule.remindAfter)" :key="length" :value="length">{{ durationText(length) }}</option>
          </ChoiceField>, remind {{ rule.remindAfter === null ? 'nobody' : 'whoever has it' }}.
        </p>
        <p v-if="hoursFault" class="critical">{{ hoursFault }}</p>
        <p v-if="!isMail"><ElCheckbox :model-value="rule.sayWell" @update:model-value="change({ sayWell: Boolean($event) })">Say so when it is well again</ElCheckbox></p>
        <template v-if="!isMail"><h3>On which devices</h3>
          <TargetBuilder :target="rule.target" @change="change({ target: $event })" /></template>
      </div>
      <RehearsalPanel :about="rule.about" :found="answer" :error="error" :asking="asking" :is-complete="isComplete" />
    </div>
    <p v-if="faults.rule" class="critical">{{ faults.rule }}</p>
  </form>
</template>

<style scoped>
.editor {
  padding: 6px 0 14px;
}
.name .btn {
  white-space: nowrap;
}
.name {
  display: flex;
  gap: 12px;
  align-items: center;
  max-width: 640px;
  margin-bottom: 10px;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(300px, 2fr);
  gap: 0 32px;
}
.hours {
  width: 190px;
}
h3 {
  margin: 12px 0 4px;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
