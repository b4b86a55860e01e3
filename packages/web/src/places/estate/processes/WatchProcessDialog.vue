<script setup lang="ts">
import { computed, ref } from 'vue'
import type { DevicePage } from '#contract'
import { countText, processAsked, processWatching, type PolicyStep, type RunningProgram, type Values } from '#core'
import SentenceEditor from '../../../parts/ui/SentenceEditor.vue'
import ChangeDialog from '../../policy/impact/ChangeDialog.vue'
import IntoTemplate from '../../policy/impact/IntoTemplate.vue'
import { useIntoTemplate } from '../../policy/impact/useIntoTemplate'
import { choiceFor, processTemplateOf, valuesFor, watchProcess } from './watchProcess'

/** Makes a watch of a program that runs: its sentence, what it is about here, and the template that it goes into. */
const props = defineProps<{ device: DevicePage; program: RunningProgram }>()
const emit = defineEmits<{ close: [] }>()
const programs = computed(() => props.device.facts.programs ?? [])
const values = ref<Values>(valuesFor(choiceFor(props.program, programs.value)))
const about = computed(() => {
  const watch = { key: 'watch', kind: 'process', standing: 'active', values: values.value } as const
  return programs.value.filter((program) => processWatching({ names: [program.name], ...program }, [watch]) !== null)
})
const { into, templates, chosen } = useIntoTemplate()
const own = computed(() => templates.value.some(({ name }) => name === processTemplateOf(props.device)))
const steps = computed((): PolicyStep[] | null => {
  if (!processAsked('process', values.value)) return null
  if (into.value === '0') return watchProcess(props.device, values.value, null)
  return chosen.value && watchProcess(props.device, values.value, chosen.value)
})
</script>

<template>
  <ChangeDialog
    :title="`Watch ${props.program.name}`"
    :steps="steps"
    verb="Watch it on"
    said="It is watched from the next report on."
    impact-title="If you save this"
    @close="emit('close')"
  >
    <template #form>
      <SentenceEditor kind="process" :values="values" @change="values = $event" />
      <p class="muted">On {{ props.device.name }} this is {{ about.length ? countText(about.length, 'program') : 'nothing that ran when it last told' }}<template v-if="about.length">: <template v-for="(program, i) in about.slice(0, 4)" :key="i">{{ i ? '; ' : '' }}<span class="mono">{{ program.arguments || program.path || program.name }}</span></template><template v-if="about.length > 4"> and {{ about.length - 4 }} more</template></template>.</p>
      <p class="faint">Five values are read of it with each report: how many there are, CPU and memory of all and of the largest.</p>
      <IntoTemplate v-model="into" :templates="templates" :alone="own ? '' : props.device.name" otherwise="Show one this page." />
    </template>
  </ChangeDialog>
</template>

<style scoped>
.mono {
  overflow-wrap: anywhere;
}
</style>
