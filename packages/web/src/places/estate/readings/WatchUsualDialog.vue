<script setup lang="ts">
import { computed, ref } from 'vue'
import type { DevicePage } from '#contract'
import { unusualKindOf, type MetricName, type PolicyStep, type Values } from '#core'
import ChangeDialog from '../../policy/impact/ChangeDialog.vue'
import IntoTemplate from '../../policy/impact/IntoTemplate.vue'
import NewRule from '../../policy/impact/NewRule.vue'
import { useIntoTemplate } from '../../policy/impact/useIntoTemplate'
import { usualTemplateOf, watchUsual } from './watchUsual'

/** Makes a watch that tells when such a series is not as usual, and chooses the template that it goes into. */
const props = defineProps<{ device: DevicePage; series: { metric: string; instance: string } }>()
const emit = defineEmits<{ close: [] }>()
const kind = unusualKindOf(props.series.metric as MetricName)!
const values = ref<Values>({
  ...Object.fromEntries(kind.parameters.map(({ name, default: value }) => [name, value])),
  ...(kind.choosing ? { [kind.choosing.include]: [props.series.instance] } : {}),
})
const { into, templates, chosen } = useIntoTemplate()
const own = computed(() => templates.value.some(({ name }) => name === usualTemplateOf(props.device)))
const steps = computed((): PolicyStep[] | null => {
  if (into.value === '0') return watchUsual(props.device, kind, values.value, null)
  return chosen.value && watchUsual(props.device, kind, values.value, chosen.value)
})
</script>

<template>
  <ChangeDialog
    title="Tell when it is unusual"
    :steps="steps"
    verb="Watch it on"
    said="What is known of each device is used at once; those too young learn first."
    impact-title="If you save this"
    @close="emit('close')"
  >
    <template #form>
      <NewRule v-model:values="values" :kind="kind.name" />
      <p class="faint">It asks for no readings of its own: those that are kept of each device anyway are learned from.</p>
      <IntoTemplate v-model="into" :templates="templates" :alone="own ? '' : device.name" otherwise="Show one this page." />
    </template>
  </ChangeDialog>
</template>
