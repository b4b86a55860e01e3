<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref, watch } from 'vue'
import { onBeforeRouteLeave, onBeforeRouteUpdate, useRoute, useRouter } from 'vue-router'
import type { TemplatePage, TemplateRevision, TemplateSummary } from '#contract'
import { countText, templateChanges, watchKind, watchKinds, type ParameterValue, type WatchSpec } from '#core'
import { api } from '../../../parts/data/api'
import { useKeys } from '../../../parts/shell/keys'
import { confirmed } from '../../../parts/ui/confirm'
import { done } from '../../../parts/ui/notify'
import EditorPopover from '../../../parts/ui/EditorPopover.vue'
import { editorWidth } from '../../../parts/ui/editorWidth'
import ParameterEditor from '../../../parts/ui/ParameterEditor.vue'
import { useResource } from '../../../parts/data/resource'
import TrailSection from '../../setup/trail/TrailSection.vue'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import AssignDialog from '../assignments/AssignDialog.vue'
import { usePolicyChange } from '../impact/change'
import { bodyOf, useDraft, valuesOf } from '../impact/draft'
import ImpactView from '../impact/ImpactView.vue'
import CountersTrial from './CountersTrial.vue'
import InstanceTrial from './InstanceTrial.vue'
import KeepForPresent from '../exceptions/KeepForPresent.vue'
import TemplateFacts from './TemplateFacts.vue'
import WatchRow from './WatchRow.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import PartTabs from '../../../parts/ui/PartTabs.vue'

const route = useRoute()
const router = useRouter()
const session = useSession()
const id = computed(() => String(route.params.id))
const { data, error, refresh } = useResource(() => api.get<TemplatePage>(`/templates/${id.value}`), {
  topics: ['policy'],
  sources: [id],
})
const all = useResource(() => api.get<TemplateSummary[]>('/templates'), { topics: ['policy'] })
const templateName = (id: number) => all.data.value?.find((each) => each.id === id)?.name ?? 'another template'
const draft = useDraft(templateName)
const { base, body, dirty, steps, note, words } = draft
watch(
  data,
  (page) => {
    if (page && (!dirty.value || base.value?.id !== page.id)) draft.begin(page)
  },
  { immediate: true },
)
const change = usePolicyChange(steps)
const { impact, counting, fault, faults, busy } = change
/** What somebody else saved while this was edited, in words. */
const overtaken = computed(() =>
  dirty.value &&
  data.value &&
  base.value &&
  data.value.id === base.value.id &&
  data.value.revision !== base.value.revision
    ? templateChanges(base.value, data.value, templateName)
    : null,
)
const clashes = ref<string[]>([])
function putOnTop(): void {
  clashes.value = draft.rebase(data.value!)
}
function discard(): void {
  if (data.value) draft.begin(data.value)
  clashes.value = []
}
async function save(): Promise<void> {
  if (!dirty.value || !impact.value || !session.isLead || overtaken.value) return
  const saved = await change.save()
  if ('code' in saved) {
    if (saved.code === 'changed-meanwhile') await refresh()
    return
  }
  const revision = base.value!.revision + 1
  draft.begin({ ...base.value!, ...bodyOf(body.value!), revision })
  clashes.value = []
  done(`Saved as revision ${revision}. The devices have it.`)
  await refresh()
  if (data.value) draft.begin(data.value)
}
const savedWatch = (spec: WatchSpec) => base.value?.watches.find((candidate) => candidate.key === spec.key) ?? null
const faultsOf = (key: string) =>
  faults.value.filter((listed) => listed.at.startsWith(`${key}.`) || listed.at === key).map((listed) => listed.message)

const open = ref<{ key: string; name: string; element: HTMLElement } | null>(null)
const typing = ref<ParameterValue>(null)
const spec = computed(() => body.value?.watches.find((candidate) => candidate.key === open.value?.key) ?? null)
const parameter = computed(
  () => spec.value && watchKind(spec.value.kind).parameters.find((candidate) => candidate.name === open.value!.name),
)
const choosing = computed(() => {
  const found = spec.value && watchKind(spec.value.kind).choosing
  return found && (found.include === open.value?.name || found.except === open.value?.name) ? found : null
})
function show(key: string, name: string, element: HTMLElement): void {
  open.value = { key, name, element }
  typing.value = valuesOf(body.value!.watches.find((candidate) => candidate.key === key)!)[name] ?? null
}
function use(value: ParameterValue): void {
  draft.setValue(open.value!.key, open.value!.name, value)
  open.value = null
}
/** Puts a name off the device into the list that is being typed, or in place of the one name. */
function pick(name: string): void {
  if (parameter.value?.type === 'text') {
    typing.value = name
    return
  }
  const list = (typing.value as string[] | null) ?? []
  typing.value = list.includes(name) ? list.filter((listed) => listed !== name) : [...list.filter((listed) => listed !== '*'), name]
}
const newKind = ref('')
function addWatch(): void {
  if (newKind.value) draft.add(newKind.value)
  newKind.value = ''
}
const including = ref(0)
const mayInclude = computed(() =>
  (all.data.value ?? []).filter((template) => template.id !== base.value?.id && !body.value?.includes.includes(template.id)),
)
function include(): void {
  if (including.value) body.value = { ...body.value!, includes: [...body.value!.includes, including.value] }
  including.value = 0
}
function goBackTo(revision: TemplateRevision): void {
  body.value = bodyOf(revision.body)
  note.value = `Back to revision ${revision.revision}`
  tab.value = 'Watches'
}
async function copyIt(): Promise<void> {
  const made = await api
    .post<{ id: number }>('/templates', {
      ...bodyOf(data.value!),
      name: `${data.value!.name}, copy ${(all.data.value ?? []).filter((template) => template.name.startsWith(`${data.value!.name}, copy`)).length + 1}`,
    })
    .catch((problem: Error) => {
      fault.value = problem.message
      return null
    })
  if (!made) return
  done('Copied. It is assigned to nothing yet.')
  await router.push(`/policy/${made.id}`)
}
async function removeIt(): Promise<void> {
  if (!(await confirmed(`Delete the template “${data.value!.name}”? Its revisions are kept.`, 'Delete'))) return
  const gone = await api
    .post('/policy/changes', {
      steps: [{ of: 'template', id: data.value!.id, basedOn: data.value!.revision, note: '', to: null }],
    })
    .catch((problem: Error) => {
      fault.value = problem.message
      return null
    })
  if (!gone) return
  done('Deleted. Its revisions are kept.')
  await router.push('/policy?part=templates')
}
const stay = () => !dirty.value || confirmed('Your change is not saved.', 'Discard it')
onBeforeRouteLeave(stay)
onBeforeRouteUpdate((to, from) => to.params.id === from.params.id || stay())
const assigning = ref(false)
const tabs = { where: 'Where it applies', exceptions: 'Exceptions', revisions: 'Revisions' } as const
const tab = ref<'Watches' | 'Where it applies' | 'Exceptions' | 'Revisions'>(
  tabs[route.query.tab as keyof typeof tabs] ?? 'Watches',
)
const counts = computed(() => ({
  Watches: body.value?.watches.length,
  'Where it applies': data.value?.assignments.length,
  Exceptions: data.value?.exceptions.length,
  Revisions: data.value?.revisions.length,
}))
useKeys('Template', [
  { key: 's', does: 'save the change', run: () => void save() },
  {
    key: 'a',
    does: 'assign it',
    run: () => {
      assigning.value = session.isLead
    },
  },
])
</script>

<template>
  <div class="split">
    <div class="page">
      <p><RouterLink to="/policy">Policy</RouterLink> › <RouterLink to="/policy?part=templates">Templates</RouterLink></p>
      <StateNotice :error="error" :loading="!data" @again="refresh" />
      <template v-if="data && base && body">
        <div class="head">
          <h1>
            <ElInput
              v-if="session.isLead"
              v-model="body.name"
              class="title"
              aria-label="Name of the template"
              maxlength="100" />
            <template v-else>{{ data.name }}</template>
          </h1>
          <span class="muted">revision {{ dirty ? `${base.revision + 1}, not saved` : data.revision }} ·
            {{ countText(data.deviceCount, 'device') }}</span>
          <span class="end">
            <RouterLink :to="`/policy/compare?a=${data.id}`">Compare</RouterLink>
            <button v-if="session.isLead" class="link" @click="copyIt">Copy</button>
            <button v-if="session.isLead" class="link" @click="removeIt">Delete</button>
          </span>
        </div>
        <p class="muted">
          <ElInput
            v-if="session.isLead"
            v-model="body.description"
            class="describe"
            aria-label="What it is for"
            placeholder="What it is for"
            maxlength="2000" />
          <template v-else>{{ data.description }}</template>
        </p>
        <p v-if="body.includes.length || session.isLead" class="muted includes">
          <template v-if="body.includes.length">Also includes:
            <span v-for="included in body.includes" :key="included"><RouterLink :to="`/policy/${included}`">{{ templateName(included) }}</RouterLink> <button
            v-if="session.isLead"
            class="link"
            :aria-label="`No longer include ${templateName(included)}`"
            @click="body = { ...body, includes: body.includes.filter((each) => each !== included) }"
          >×</button></span></template>
          <ChoiceField v-if="session.isLead" v-model="including" label="Include a template" @change="include">
            <option :value="0">include another template…</option>
            <option v-for="template in mayInclude" :key="template.id" :value="template.id">{{ template.name }}</option>
          </ChoiceField>
          <template v-if="data.includedBy.length">Part of
            <RouterLink v-for="template in data.includedBy" :key="template.id" :to="`/policy/${template.id}`">{{ template.name }}</RouterLink></template>
        </p>
        <p
          v-for="fault in faults.filter((each) => ['name', 'includes'].includes(each.at))"
          :key="fault.message"
          class="critical"
          role="alert"
        >{{ fault.message }}</p>
        <div v-if="overtaken" class="overtaken" role="alert">
          <p><b>Revision {{ data.revision }} was saved by {{ data.savedBy }} while you edited.</b> Nothing is
            overwritten. It changed:</p>
          <ul><li v-for="change in overtaken" :key="change">{{ change }}</li></ul>
          <p><button class="btn" @click="putOnTop">Apply my change to it</button> <button class="btn" @click="discard">Discard my change</button></p>
        </div>
        <div v-if="clashes.length" class="overtaken">
          <p><b>Both of you changed the same; yours stands now:</b></p>
          <ul><li v-for="clash in clashes" :key="clash">{{ clash }}</li></ul>
        </div>
        <PartTabs
          v-model="tab"
          label="Parts of the template"
          :tabs="Object.entries(counts).map(([name, count]) => ({ name, title: name, count }))"
        />
        <template v-if="tab === 'Watches'">
          <WatchRow v-for="(watch, i) in body.watches" :key="watch.key" :spec="watch" :saved="savedWatch(watch)" :number="i + 1" :editable="session.isLead" :faults="faultsOf(watch.key)"
            @pick="(name, element) => show(watch.key, name, element)" @change="(fields) => draft.change(watch.key, fields)" @open="(name) => draft.leaveOpen(watch.key, name)" @remove="draft.remove(watch.key)" @move="(by) => draft.move(watch.key, by)" />
          <p v-if="session.isLead" class="add">Watch
            <ChoiceField v-model="newKind" label="Add a watch" @change="addWatch">
              <option value="">something else…</option>
              <option v-for="kind in watchKinds.values()" :key="kind.name" :value="kind.name">{{ kind.title }}</option>
            </ChoiceField></p>
          <p v-else class="faint">Templates are changed by a lead.</p>
        </template>
        <TemplateFacts v-else :page="data" :tab="tab" @changed="refresh" @back="goBackTo" />
      </template>
    </div>
    <aside>
      <template v-if="dirty">
        <ul class="words"><li v-for="word in words" :key="word">{{ word }}</li></ul>
        <ImpactView :impact="impact" :counting="counting" title="If you save this" :busy="!fault" />
        <div class="foot">
          <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
          <ElInput v-model="note" placeholder="Why, for the revisions" aria-label="Note" maxlength="500" />
          <div class="row">
            <button class="btn main" :disabled="!impact || busy || !!overtaken" @click="save">Save for
              {{ impact ? countText(impact.devices, 'device') : '… devices' }} <kbd>s</kbd></button>
            <button class="btn" @click="discard">Discard</button>
          </div>
        </div>
      </template>
      <template v-else-if="data">
        <p class="muted">It reaches</p>
        <p class="big">{{ countText(data.deviceCount, 'device') }}</p>
        <p v-for="assignment in data.assignments" :key="assignment.id" class="muted">{{ assignment.targetText }}:
          {{ assignment.deviceCount }}<template v-if="assignment.dormant"> (paused)</template></p>
        <p v-if="!data.assignments.length" class="muted">It is assigned to nothing.</p>
        <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
        <div><button v-if="session.isLead" class="btn" @click="assigning = true">Assign it <kbd>a</kbd></button></div>
      </template>
    </aside>
    <EditorPopover v-if="open && parameter && spec" :key="open.key + open.name" :at="open.element" :width="editorWidth(parameter)">
      <ParameterEditor
        :parameter="parameter"
        :value="typing"
        @change="use"
        @typing="(value) => { typing = value }"
        @cancel="open = null"
      >
        <template #default="{ typed }">
        <CountersTrial v-if="parameter.type === 'lines'" :values="{ ...valuesOf(spec), [open.name]: typed }" />
        <InstanceTrial
          v-if="choosing"
          :choosing="choosing"
          :values="valuesOf(spec)"
          :typing="{ name: open.name, value: typing }"
          :targets="data?.assignments.map((assignment) => assignment.target) ?? []"
          @pick="pick"
        />
        </template>
      </ParameterEditor>
      <KeepForPresent
        v-if="session.isLead && base && savedWatch(spec)?.values[open.name] !== undefined"
        :template-id="base.id"
        :watch-key="open.key"
        :parameter="parameter"
        :value="savedWatch(spec)!.values[open.name]!"
        @done="open = null"
      />
    </EditorPopover>
    <TrailSection v-if="data && session.isStaff" :id="data.id" kind="template" :topics="['policy']" />
    <AssignDialog v-if="assigning && data" :templates="[data]" :template-id="data.id" @close="assigning = false" />
  </div>
</template>

<style scoped>
.split {
  display: grid;
  grid-template-columns: 1fr 340px;
  height: 100%;
}
@media (max-width: 900px) {
  .split {
    grid-template-columns: minmax(0, 1fr);
  }
}
aside {
  background: var(--sheet);
  border-left: 1px solid var(--rule);
  padding: 16px 20px;
  display: grid;
  gap: 12px;
  align-content: start;
  overflow: auto;
}
.big {
  font: 600 28px/36px var(--serif);
}
.row {
  display: flex;
  gap: 8px;
}
.foot {
  position: sticky;
  bottom: -16px;
  background: var(--sheet);
  border-top: 1px solid var(--rule);
  padding: 10px 0 12px;
  display: grid;
  gap: 10px;
}
.words {
  margin: 0;
  padding-left: 16px;
}
.overtaken {
  border-left: 3px solid var(--warning);
  padding: 4px 0 4px 12px;
  margin: 8px 0;
}
.overtaken ul {
  margin: 4px 0;
  padding-left: 18px;
}
.title {
  font: inherit;
  color: var(--ink);
  background: none;
  border: 0;
  border-bottom: 1px dotted transparent;
  padding: 0;
  field-sizing: content;
  max-width: 520px;
}
.title:hover,
.describe:hover {
  border-bottom-color: var(--ink3);
}
.describe {
  font: inherit;
  color: var(--ink2);
  background: none;
  border: 0;
  border-bottom: 1px dotted transparent;
  padding: 0;
  width: 100%;
}
aside input {
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 4px 8px;
}
.includes select,
.add select {
  font: inherit;
  color: var(--ink2);
  background: none;
  border: 0;
  border-bottom: 1px dotted var(--ink3);
  max-width: 210px;
}
.add {
  padding: 10px 0;
  font: 16.5px/25px var(--serif);
}
</style>
