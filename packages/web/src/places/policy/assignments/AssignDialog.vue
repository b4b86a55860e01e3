<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElInputNumber } from 'element-plus/es/components/input-number/index'
import 'element-plus/es/components/input-number/style/css'
import { computed, ref, watch } from 'vue'
import type { AssignmentView, TargetMatches, TemplatePage, TemplateSummary } from '#contract'
import { valueText, watchKind, type ParameterValue, type PolicyStep, type Target, type Values } from '#core'
import { api } from '../../../parts/data/api'
import ParameterEditor from '../../../parts/ui/ParameterEditor.vue'
import { useResource } from '../../../parts/data/resource'
import ChangeDialog from '../impact/ChangeDialog.vue'
import ReviewDate from '../exceptions/ReviewDate.vue'
import TargetBuilder from '../target/TargetBuilder.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

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
const verb = computed(() => (before ? 'Change it for' : dormant.value ? 'Assign, paused, to' : 'Assign to'))
</script>

<template>
  <ChangeDialog
    :title="before ? 'Change an assignment' : 'Assign a template'"
    :steps="steps"
    :verb="verb"
    :devices="matches && !matches.faults.length ? matches.devices : null"
    :said="before ? 'Changed. The devices have it.' : 'Assigned. The devices have it.'"
    :impact-title="before ? 'If you save this' : 'If you assign this'"
    @close="emit('close')"
  >
    <template #form>
      <p class="sentence">Give
        <ChoiceField v-if="!before" v-model="templateId" label="Template">
          <option v-for="template in templates" :key="template.id" :value="template.id">{{ template.name }}</option>
        </ChoiceField><b v-else>{{ before.templateName }}</b> to every device that matches</p>
      <TargetBuilder
        :target="target"
        @change="(emitted) => { target = emitted; matches = null }"
        @matches="(emitted) => { matches = emitted }"
      />
      <p v-for="setting in own" :key="`${setting.key}.${setting.name}`">Here <b>{{ setting.text }}</b> <button type="button" class="link" @click="dropValue(setting.key, setting.name)">remove</button></p>
      <p class="sentence">With its own
        <ChoiceField v-model="watchKey" label="Watch">
          <option value="">value…</option>
          <option v-for="watch in template.data.value?.watches" :key="watch.key" :value="watch.key">{{ watch.name }}</option>
        </ChoiceField>
        <ChoiceField v-if="spec" v-model="parameterName" label="Parameter">
          <option value="">which?</option>
          <option v-for="parameter in watchKind(spec.kind).parameters" :key="parameter.name" :value="parameter.name">{{ parameter.label }}</option>
        </ChoiceField></p>
      <ParameterEditor
        v-if="parameter && spec"
        :parameter="parameter"
        :value="values[watchKey]?.[parameterName] ?? spec.values[parameterName] ?? parameter.default"
        @change="setValue"
        @cancel="parameterName = ''"
      />
      <p class="settings">
        <label title="Among equally specific targets the lower number wins">Rank
          <ElInputNumber v-model="rank" :min="0" :max="1000" aria-label="Rank" :controls="false" size="small" /></label>
        <ElCheckbox v-model="dormant">Paused: listed, not evaluated</ElCheckbox>
        <ReviewDate :at="reviewAt" @change="(at) => { reviewAt = at }" />
      </p>
      <ElInput
        v-model="reason"
        placeholder="Why (for whoever reads this in a year)"
        aria-label="Reason"
        maxlength="500" />
    </template>
  </ChangeDialog>
</template>
