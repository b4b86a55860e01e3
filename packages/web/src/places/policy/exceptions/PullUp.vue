<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { computed, ref } from 'vue'
import type { ExceptionView, TemplatePage } from '#contract'
import { countText, pullUp, type PolicyStep } from '#core'
import { api } from '../../../parts/data/api'
import { done } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import { usePolicyChange } from '../impact/change'
import ImpactView from '../impact/ImpactView.vue'

/** Makes an exception what its template says, for every device of it. */
const props = defineProps<{ exception: ExceptionView }>()
const emit = defineEmits<{ close: [] }>()
const templateId = ref(props.exception.templates[0]!.id)
const template = useResource(() => api.get<TemplatePage>(`/templates/${templateId.value}`), { sources: [templateId] })
const steps = computed((): PolicyStep[] | null =>
  template.data.value
    ? pullUp({ templates: [template.data.value], exceptions: [props.exception] }, props.exception.id, templateId.value)
    : null,
)
const change = usePolicyChange(steps)
const { impact, counting, fault, busy } = change
async function save(): Promise<void> {
  const saved = await change.save()
  if ('code' in saved) return
  done('It is what the template says now.')
  emit('close')
}
</script>

<template>
  <ElDialog :model-value="true" title="Move an exception into its template" width="560" append-to-body @close="emit('close')">
    <p class="sentence">What holds for {{ exception.targetText }} becomes what
      <select v-if="exception.templates.length > 1" v-model.number="templateId" aria-label="Template"><option v-for="template in exception.templates" :key="template.id" :value="template.id">{{ template.name }}</option></select><b v-else>{{ exception.templates[0]!.name }}</b> says{{ exception.leftOut ? ': the watch is removed' : '' }}, and the exception is removed.</p>
    <ImpactView :impact="impact" :counting="counting" title="If you do this" :busy="!fault" />
    <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
    <p class="row"><button class="btn main" :disabled="!impact || busy" @click="save">Move it, for {{ impact ? countText(impact.devices, 'device') : '…' }}</button> <button class="btn" @click="emit('close')">Cancel</button></p>
  </ElDialog>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
  margin-top: 14px;
}
</style>
