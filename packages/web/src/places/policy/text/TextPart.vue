<script setup lang="ts">
import { ElUpload, type UploadFile } from 'element-plus/es/components/upload/index'
import 'element-plus/es/components/upload/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, defineAsyncComponent, ref, useTemplateRef } from 'vue'
import { onBeforeRouteLeave } from 'vue-router'
import type { ExportedPolicy, TemplateSummary, TextTrial } from '#contract'
import { countText } from '#core'
import { useAnswer } from '../../../parts/data/answer'
import { api } from '../../../parts/data/api'
import { confirmed } from '../../../parts/ui/confirm'
import { attempt, done } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import ImpactView from '../impact/ImpactView.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** All policy, or a part of it, as YAML: out, edited, in again, with the impact of an edit. */
const session = useSession()
const templates = useResource(() => api.get<TemplateSummary[]>('/templates'), { topics: ['policy'] })
const only = ref<number>(0)
const text = ref('')
const inForce = ref('')
const note = ref('')
const busy = ref(false)
async function take(): Promise<void> {
  const out = await attempt(() =>
    api.get<ExportedPolicy>(`/policy/text${only.value ? `?templates=${only.value}` : ''}`),
  )
  if (!out) return
  text.value = inForce.value = out.text
}
void (session.isLead ? take() : null)
const changed = computed(() => text.value !== inForce.value)
const check = useAnswer(
  () => ({ now: text.value, before: inForce.value }),
  ({ now, before }) =>
    !now.trim() || now === before ? null : api.post<TextTrial>('/policy/text/check', { text: now, note: '' }),
  { rest: 400 },
)
/** None while a newer text is being checked: what is applied must be what was shown. */
const trial = computed(() => (check.asking.value ? null : check.answer.value))
const fault = computed(() => (check.asking.value ? '' : (check.error.value?.message ?? '')))
async function apply(): Promise<void> {
  busy.value = true
  const answer = await attempt(() => api.post<TextTrial>('/policy/text/apply', { text: text.value, note: note.value }))
  busy.value = false
  if (!answer) return
  done(`${countText(answer.steps.length, 'thing')} changed. The devices have it.`)
  note.value = ''
  await take()
}
const YamlEditor = defineAsyncComponent(() => import('./YamlEditor.vue'))
const editor = useTemplateRef<{ goTo(line: number): void }>('editor')
const faults = computed(() => trial.value?.faults ?? [])
async function open({ raw }: UploadFile): Promise<void> {
  if (raw) text.value = await raw.text()
}
function save(): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([text.value], { type: 'application/yaml' }))
  link.download = 'policy.yaml'
  link.click()
  URL.revokeObjectURL(link.href)
}
onBeforeRouteLeave(() => !changed.value || confirmed('The text is not applied yet.', 'Discard it'))
const lineCount = computed(() => text.value.split('\n').length)
const sign = { made: '+', changed: '~', removed: '−' } as const
</script>

<template>
  <p v-if="!session.isLead" class="muted pad">Policy as text is read and written by a lead.</p>
  <div v-else class="text">
    <div>
      <p class="row">
        <ChoiceField v-model="only" label="What to take" @change="take">
          <option :value="0">everything</option>
          <option v-for="template in templates.data.value" :key="template.id" :value="template.id">only
            {{ template.name }}</option>
        </ChoiceField>
        <button class="link" @click="take">{{ changed ? 'discard the edit' : 'reload' }}</button>
        <button class="link" @click="save">save as a file</button>
        <ElUpload :auto-upload="false" :show-file-list="false" accept=".yaml,.yml,text/*" class="file" @change="open"><span class="link">open a file</span></ElUpload>
        <span class="faint">{{ lineCount }} lines of YAML</span>
      </p>
      <div class="paper"><YamlEditor ref="editor" v-model="text" label="Policy as text" :faults="faults" /></div>
    </div>
    <aside aria-live="polite">
      <template v-if="!changed">
        <p class="muted">This is what is in force. Change it here, or open a file. It is checked while you type; nothing
          changes until you apply it.</p>
        <p class="faint">From a shell, for people who keep policy in a repository:
          <span class="mono">./custode policy check policy.yaml</span></p>
      </template>
      <p v-else-if="fault" class="critical" role="alert">{{ fault }}</p>
      <p v-else-if="!trial" class="faint">Checking it…</p>
      <template v-else-if="trial.faults.length">
        <p class="critical" role="alert"><b>{{ countText(trial.faults.length, 'fault') }}.</b> Nothing of it is applied.</p>
        <ul>
          <li v-for="(fault, i) in trial.faults" :key="i"><button class="link" @click="editor?.goTo(fault.line)">line {{ fault.line }}</button>
            {{ fault.message }}</li>
        </ul>
      </template>
      <template v-else>
        <p v-if="!trial.steps.length" class="muted">It says the same as what is in force.</p>
        <ul class="steps">
          <li v-for="(step, i) in trial.steps" :key="i"><b>{{ sign[step.change] }}</b> {{ step.of }} {{ step.name }}<span v-for="words in step.words" :key="words" class="muted words">{{ words }}</span></li>
        </ul>
        <template v-if="trial.steps.length">
          <ImpactView :impact="trial.impact" title="If you apply this" />
          <ElInput v-model="note" placeholder="Why, for the revisions" aria-label="Note" maxlength="500" />
          <p>
            <button class="btn main" :disabled="busy" @click="apply">Apply to
              {{ countText(trial.impact?.devices ?? 0, 'device') }}</button>
          </p>
        </template>
      </template>
    </aside>
  </div>
</template>

<style scoped>
.pad {
  padding: 14px 0;
}
.text {
  display: grid;
  grid-template-columns: 1fr 360px;
  gap: 24px;
  padding-top: 10px;
}
@media (max-width: 900px) {
  .text {
    grid-template-columns: minmax(0, 1fr);
  }
}
.row {
  display: flex;
  gap: 16px;
  align-items: baseline;
  padding-bottom: 8px;
}
.paper {
  overflow: hidden;
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: var(--field);
  height: calc(100vh - 290px);
  min-height: 300px;
}
.paper:focus-within {
  border-color: var(--act);
  box-shadow: 0 0 0 1px var(--act);
}
aside {
  display: grid;
  gap: 10px;
  align-content: start;
}
ul {
  margin: 0;
  padding-left: 16px;
}
.steps {
  list-style: none;
  padding: 0;
}
.words {
  display: block;
  padding-left: 16px;
}
aside input,
select {
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 3px 8px;
}
</style>
