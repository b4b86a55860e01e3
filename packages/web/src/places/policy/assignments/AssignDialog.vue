<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { computed, ref, watch } from 'vue'
import type { AssignmentView, TargetMatches, TemplatePage, TemplateSummary } from '#contract'
import { countText, valueText, watchKind, type ParameterValue, type PolicyStep, type Target, type Values } from '#core'
import { api } from '../../../parts/data/api'
import { done } from '../../../parts/ui/notify'
import ParameterEditor from '../../../parts/ui/ParameterEditor.vue'
import { useResource } from '../../../parts/data/resource'
import { usePolicyChange } from '../impact/change'
import ImpactView from '../impact/ImpactView.vue'
import ReviewDate from '../exceptions/ReviewDate.vue'
import TargetBuilder from '../target/TargetBuilder.vue'

/** Puts a template on a target, with values of its own where wanted, and shows what that does before it is saved. */
const props = defineProps<{
  templates: Pick<TemplateSummary, 'id' | 'name'>[]
  templateId: number
  role?: string
  assignment?: AssignmentView
}>()
const emit = defineEmits<{ close: [] }>()
const before = props.assignment
const templateId = ref(before?.templateId ?? props.templateId)
const template = useResource(() => api.get<TemplatePage>(`/templates/${templateId.value}`), { sources: [templateId] })
const target = ref<Target>(before?.target ?? { on: 'role', role: props.role ?? '' })
const matches = ref<TargetMatches | null>(null)
const rank = ref(before?.rank ?? 100)
const dormant = ref(before?.dormant ?? false)
const reason = ref(before?.reason ?? '')
const reviewAt = ref(before?.reviewAt ?? null)
const values = ref<Record<string, Values>>(JSON.parse(JSON.stringify(before?.values ?? {})) as Record<string, Values>)
watch(templateId, () => {
  values.value = {}
})
const steps = computed((): PolicyStep[] | null => {
  // Places that still need a look are said where they are.
  if (!matches.value || matches.value.faults.length) return null
  return [
    {
      of: 'assignment',
      id: before?.id ?? -1,
      basedOn: before?.revision ?? 0,
      to: {
        templateId: templateId.value,
        target: target.value,
        rank: rank.value,
        values: values.value,
        dormant: dormant.value,
        reason: reason.value,
        reviewAt: reviewAt.value,
      },
    },
  ]
})
const change = usePolicyChange(steps)
const { impact, counting, fault, busy } = change

const watchKey = ref('')
const parameterName = ref('')
const spec = computed(() => template.data.value?.watches.find((candidate) => candidate.key === watchKey.value))
const parameter = computed(
  () => spec.value && watchKind(spec.value.kind).parameters.find((candidate) => candidate.name === parameterName.value),
)
function setValue(value: ParameterValue): void {
  values.value = {
    ...values.value,
    [watchKey.value]: { ...values.value[watchKey.value], [parameterName.value]: value },
  }
  parameterName.value = ''
}
function dropValue(key: string, name: string): void {
  const { [name]: _dropped, ...others } = values.value[key] ?? {}
  const { [key]: _whole, ...rest } = values.value
  values.value = Object.keys(others).length ? { ...rest, [key]: others } : rest
}
const own = computed(() =>
  Object.entries(values.value).flatMap(([key, set]) =>
    Object.entries(set).map(([name, value]) => {
      const watch = template.data.value?.watches.find((each) => each.key === key)
      const found = watch && watchKind(watch.kind).parameters.find((each) => each.name === name)
      return { key, name, text: `${watch?.name ?? key}: ${found?.label ?? name} ${found ? valueText(found, value) : ''}` }
    }),
  ),
)
async function save(): Promise<void> {
  if (!impact.value) return
  const saved = await change.save()
  if ('code' in saved) return
  done(before ? 'Changed. The devices have it.' : 'Assigned. The devices have it.')
  emit('close')
}
const verb = computed(() => (before ? 'Change it for' : dormant.value ? 'Assign, paused, to' : 'Assign to'))
</script>

<template>
  <ElDialog :model-value="true" :title="before ? 'Change an assignment' : 'Assign a template'" width="920" top="5vh" append-to-body @close="emit('close')">
    <div class="two">
      <form @submit.prevent="save">
        <p class="sentence">Give <select v-if="!before" v-model.number="templateId" aria-label="Template"><option v-for="template in templates" :key="template.id" :value="template.id">{{ template.name }}</option></select><b v-else>{{ before.templateName }}</b> to every device that matches</p>
        <TargetBuilder :target="target" @change="(emitted) => { target = emitted; matches = null }" @matches="(emitted) => { matches = emitted }" />
        <p v-for="setting in own" :key="`${setting.key}.${setting.name}`">Here <b>{{ setting.text }}</b> <button type="button" class="link" @click="dropValue(setting.key, setting.name)">remove</button></p>
        <p class="sentence">With its own <select v-model="watchKey" aria-label="Watch"><option value="">value…</option><option v-for="watch in template.data.value?.watches" :key="watch.key" :value="watch.key">{{ watch.name }}</option></select>
          <select v-if="spec" v-model="parameterName" aria-label="Parameter"><option value="">which?</option><option v-for="parameter in watchKind(spec.kind).parameters" :key="parameter.name" :value="parameter.name">{{ parameter.label }}</option></select></p>
        <ParameterEditor v-if="parameter && spec" :parameter="parameter" :value="values[watchKey]?.[parameterName] ?? spec.values[parameterName] ?? parameter.default" @change="setValue" @cancel="parameterName = ''" />
        <p class="row"><label title="Among equally specific targets the lower number wins">Rank <input v-model.number="rank" type="number" min="0" max="1000" class="rank" aria-label="Rank" /></label>
          <label><input v-model="dormant" type="checkbox" /> Paused: listed, not evaluated</label><ReviewDate :at="reviewAt" @change="(at) => { reviewAt = at }" /></p>
        <input v-model="reason" placeholder="Why (for whoever reads this in a year)" aria-label="Reason" maxlength="500" />
        <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
        <div class="row"><button class="btn main" :disabled="!impact || busy">{{ verb }} {{ matches && !matches.faults.length ? countText(matches.devices, 'device') : '… devices' }}</button><button type="button" class="btn" @click="emit('close')">Cancel</button></div>
      </form>
      <ImpactView :impact="impact" :counting="counting" :title="before ? 'If you save this' : 'If you assign this'" :busy="steps !== null && !fault" />
    </div>
  </ElDialog>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 1fr 270px;
  gap: 24px;
  max-height: 78vh;
  overflow: auto;
}
form {
  display: grid;
  gap: 12px;
  align-content: start;
  min-width: 0;
}
.sentence {
  line-height: 30px;
}
form > input {
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 4px 8px;
}
.row {
  display: flex;
  gap: 16px;
  flex-wrap: wrap;
  align-items: center;
  color: var(--ink2);
}
.rank {
  width: 70px;
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 6px;
}
</style>
