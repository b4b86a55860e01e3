<script setup lang="ts">
import { ElPopover } from 'element-plus/es/components/popover/index'
import 'element-plus/es/components/popover/style/css'
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { onBeforeRouteLeave, useRoute } from 'vue-router'
import type { Impact, TemplateEdit, TemplatePage } from '#contract'
import { countText, valueText, watchKind, type ParameterValue, type Values, type WatchSpec } from '#core'
import type { ApiError } from '../../parts/api';
import { api } from '../../parts/api'
import { useKeys } from '../../parts/keys'
import { done } from '../../parts/notify'
import ParameterEditor from '../../parts/ParameterEditor.vue'
import { useResource } from '../../parts/resource'
import RuleSentence from '../../parts/RuleSentence.vue'
import { useSession } from '../../parts/session'
import StateNotice from '../../parts/StateNotice.vue'
import AssignDialog from './AssignDialog.vue'
import ImpactView from './ImpactView.vue'
import TemplateFacts from './TemplateFacts.vue'

const route = useRoute()
const session = useSession()
const { data, error, refresh } = useResource(() => api.get<TemplatePage>(`/templates/${String(route.params.id)}`), { topics: ['policy'] })
/** Values as they stand in the edit, by watch key; what is not here is as saved. */
const edits = ref<Record<string, Values>>({})
const basedOn = ref<TemplatePage | null>(null)
watch(data, (page) => { if (page && Object.keys(edits.value).length === 0) basedOn.value = page })
const overtaken = computed(() => data.value && basedOn.value && data.value.revision !== basedOn.value.revision)
const defaults = (spec: WatchSpec): Values => Object.fromEntries(watchKind(spec.kind).parameters.map((one) => [one.name, one.default]))
const saved = (spec: WatchSpec): Values => ({ ...defaults(spec), ...spec.values })
const current = (spec: WatchSpec): Values => ({ ...saved(spec), ...edits.value[spec.key] })
const same = (a: ParameterValue | undefined, b: ParameterValue | undefined) => JSON.stringify(a) === JSON.stringify(b)
const watches = computed(() => (basedOn.value?.watches ?? []).map((spec) => ({ spec, sentence: watchKind(spec.kind).sentence(current(spec)), changed: (name: string) => !same(current(spec)[name], saved(spec)[name]) })))
const dirty = computed(() => Object.keys(edits.value).length > 0)
const note = ref('')
const body = computed((): TemplateEdit => ({
  name: basedOn.value!.name, description: basedOn.value!.description, basedOn: basedOn.value!.revision, note: note.value,
  watches: basedOn.value!.watches.map((spec) => ({ ...spec, values: { ...spec.values, ...edits.value[spec.key] } })),
}))

const open = ref<{ spec: WatchSpec; name: string; element: HTMLElement } | null>(null)
const parameter = computed(() => open.value && watchKind(open.value.spec.kind).parameters.find((one) => one.name === open.value!.name)!)
function use(value: ParameterValue): void {
  const { spec, name } = open.value!
  const { [name]: _dropped, ...others } = edits.value[spec.key] ?? {}
  const next: Values = same(value, saved(spec)[name]) ? others : { ...others, [name]: value }
  const { [spec.key]: _before, ...rest } = edits.value
  edits.value = Object.keys(next).length ? { ...rest, [spec.key]: next } : rest
  open.value = null
}
const wasText = (spec: WatchSpec) => Object.keys(edits.value[spec.key] ?? {}).map((name) => {
  const one = watchKind(spec.kind).parameters.find((each) => each.name === name)!
  return `${one.label} was ${valueText(one, saved(spec)[name] ?? null)}`
})

const impact = ref<Impact | null>(null)
const fault = ref('')
const settledEdits = refDebounced(edits, 200)
watch(settledEdits, async () => {
  fault.value = ''
  impact.value = null
  if (!dirty.value) return
  try {
    impact.value = await api.post<Impact>(`/templates/${basedOn.value!.id}/impact`, body.value)
  } catch (problem) {
    fault.value = (problem as ApiError).message
  }
})
const busy = ref(false)
async function save(): Promise<void> {
  if (!dirty.value || !impact.value || !session.isLead) return
  busy.value = true
  try {
    basedOn.value = await api.put<TemplatePage>(`/templates/${basedOn.value!.id}`, body.value)
    edits.value = {}
    note.value = ''
    done(`Saved as revision ${basedOn.value.revision}. The devices have it.`)
    await refresh()
  } catch (problem) {
    fault.value = (problem as ApiError).message
    await refresh()
  }
  busy.value = false
}
function discard(): void {
  edits.value = {}
  basedOn.value = data.value
}
onBeforeRouteLeave(() => !dirty.value || confirm('Your change is not saved. Leave it?'))
const assigning = ref(false)
const tab = ref<'Watches' | 'Where it applies' | 'Exceptions' | 'Revisions'>('Watches')
const counts = computed(() => ({ Watches: data.value?.watches.length, 'Where it applies': data.value?.assignments.length, Exceptions: data.value?.exceptions.length, Revisions: data.value?.revisions.length }))
useKeys('Template', [{ key: 's', does: 'save the change', run: () => void save() }, { key: 'a', does: 'assign it', run: () => { assigning.value = session.isLead } }])
</script>

<template>
  <div class="split">
    <div class="page">
      <p><RouterLink to="/policy">Policy</RouterLink></p>
      <StateNotice :error="error" :loading="!data" @again="refresh" />
      <template v-if="data && basedOn">
        <div class="head"><h1>{{ data.name }}</h1><span class="muted">revision {{ dirty ? `${basedOn.revision + 1}, not saved` : data.revision }} · {{ data.deviceCount }} devices</span></div>
        <p class="muted">{{ data.description }}</p>
        <p v-if="overtaken" class="warning" role="alert">Revision {{ data.revision }} was saved by {{ data.savedBy }} while you edited. <button class="link" @click="discard">Look at it</button> (your change is then let go).</p>
        <div class="tabs"><button v-for="(count, name) in counts" :key="name" :class="{ on: tab === name }" @click="tab = name">{{ name }} {{ count }}</button></div>
        <template v-if="tab === 'Watches'">
          <div v-for="(one, i) in watches" :key="one.spec.key" class="watch"><span class="faint">{{ i + 1 }}</span>
            <div><RuleSentence :parts="one.sentence" :editable="session.isLead" :marked="one.changed" @pick="(name, element) => { open = { spec: one.spec, name, element } }" /><p class="faint">{{ one.spec.why }}<template v-if="one.spec.osFamilies.length"> Only on {{ one.spec.osFamilies.map((os) => os === 'linux' ? 'Linux' : 'Windows').join(', ') }}.</template></p></div>
            <div class="muted was"><p v-for="text in wasText(one.spec)" :key="text">{{ text }}</p></div></div>
          <p v-if="!session.isLead" class="faint">Templates are changed by a lead.</p>
        </template>
        <TemplateFacts v-else :page="data" :tab="tab" @changed="refresh" />
      </template>
    </div>
    <aside>
      <template v-if="dirty">
        <ImpactView :impact="impact" title="If you save this" />
        <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
        <input v-model="note" placeholder="What and why, for the revisions" aria-label="Note" maxlength="500" />
        <div class="row"><button class="btn main" :disabled="!impact || busy" @click="save">Save for {{ impact ? countText(impact.devices, 'device') : '… devices' }} <kbd>s</kbd></button><button class="btn" @click="discard">Discard</button></div>
      </template>
      <template v-else-if="data">
        <p class="muted">It reaches</p><p class="big">{{ data.deviceCount }} devices</p>
        <p v-for="one in data.assignments" :key="one.id" class="muted">{{ one.targetText }}: {{ one.deviceCount }}</p>
        <p v-if="!data.assignments.length" class="muted">It is assigned to nothing.</p>
        <button v-if="session.isLead" class="btn" @click="assigning = true">Assign it <kbd>a</kbd></button>
      </template>
    </aside>
    <ElPopover v-if="open && parameter" :key="open.spec.key + open.name" :visible="true" virtual-triggering :virtual-ref="open.element" :width="330" placement="bottom-start" :show-arrow="false">
      <ParameterEditor :parameter="parameter" :value="current(open.spec)[open.name] ?? null" @change="use" @cancel="open = null" />
    </ElPopover>
    <AssignDialog v-if="assigning && data" :templates="[data]" :template-id="data.id" @close="assigning = false" />
  </div>
</template>

<style scoped>
.split { display: grid; grid-template-columns: 1fr 370px; height: 100%; } aside { background: var(--sheet); border-left: 1px solid var(--rule); padding: 16px 20px; display: grid; gap: 12px; align-content: start; overflow: auto; }
.watch { display: grid; grid-template-columns: 20px 1fr 165px; gap: 10px; padding: 9px 0; border-bottom: 1px solid var(--rule); } .was { text-align: right; } .watch .faint { font-size: 13px; }
.big { font: 600 28px/36px var(--serif); } .row { display: flex; gap: 8px; }
input { font: inherit; color: var(--ink); background: var(--field); border: 1px solid var(--rule); border-radius: 3px; padding: 4px 8px; }
</style>
