<script setup lang="ts">
import { computed, ref } from 'vue'
import type { ExceptionView, TemplatePage } from '#contract'
import { pullUp, type PolicyStep } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import ChangeDialog from '../impact/ChangeDialog.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

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
</script>

<template>
  <ChangeDialog
    title="Move an exception into its template"
    :steps="steps"
    verb="Move it, for"
    said="It is what the template says now."
    @close="emit('close')"
  >
    <p class="sentence">What holds for {{ exception.targetText }} becomes what
      <ChoiceField v-if="exception.templates.length > 1" v-model="templateId" label="Template">
        <option v-for="template in exception.templates" :key="template.id" :value="template.id">{{ template.name }}</option>
      </ChoiceField><b v-else>{{ exception.templates[0]!.name }}</b> says{{ exception.leftOut ? ': the watch is removed' : '' }},
      and the exception is removed.</p>
  </ChangeDialog>
</template>
