<script setup lang="ts">
import { computed, ref } from 'vue'
import type { DevicePage } from '#contract'
import { countText, gigabyte, processAsked, processWatching, type ParameterValue, type PolicyStep, type RunningProgram, type Values } from '#core'
import SentenceEditor from '../../../parts/ui/SentenceEditor.vue'
import ChangeDialog from '../../policy/impact/ChangeDialog.vue'
import IntoTemplate from '../../policy/impact/IntoTemplate.vue'
import { useIntoTemplate } from '../../policy/impact/useIntoTemplate'
import { choiceFor, lineOf, processTemplateOf, valuesFor, watchProcess } from './watchProcess'

/** Makes a watch of a program that runs: its sentence, what it is about here, and the template that it goes into. */
const props = defineProps<{ device: DevicePage; program: RunningProgram }>()
const emit = defineEmits<{ close: [] }>()
const programs = computed(() => props.device.facts.programs ?? [])
const values = ref<Values>(valuesFor(choiceFor(props.program, programs.value)))
const about = computed(() => {
  const watch = { key: 'watch', kind: 'process', standing: 'active', values: values.value } as const
  return programs.value.filter((program) => processWatching({ names: [program.name], ...program }, [watch]) !== null)
})
/** What the sentence may say more; once it is in there, it is changed there. */
const offers = computed(() => {
  const { program } = props
  const all: { name: string; value: ParameterValue; text: string }[] = [
    { name: 'arguments', value: lineOf(program), text: 'its command line' },
    { name: 'path', value: program.path ?? '', text: 'its program’s file' },
    { name: 'user', value: program.user ?? '', text: 'its user' },
    { name: 'least', value: 1, text: 'that it runs' },
    { name: 'most', value: 0, text: 'that there are no more than so many' },
    { name: 'cpu', value: 0.9, text: 'how much CPU it may use' },
    { name: 'memory', value: 2 * gigabyte, text: 'how much memory it may use' },
  ]
  const isOff = (value: ParameterValue | undefined) => value === '' || value === null || value === undefined
  return all.filter(({ name, value }) => isOff(values.value[name]) && !isOff(value))
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
      <p v-if="offers.length" class="offers"><span class="muted">Add</span>
        <button v-for="offer in offers" :key="offer.name" class="link" type="button" @click="values = { ...values, [offer.name]: offer.value }">{{ offer.text }}</button></p>
      <p class="muted">On {{ props.device.name }} this is {{ about.length ? countText(about.length, 'program') : 'nothing that ran when it last told' }}<template v-if="about.length">: <template v-for="(program, i) in about.slice(0, 4)" :key="i">{{ i ? '; ' : '' }}<span class="mono">{{ program.arguments || program.path || program.name }}</span></template><template v-if="about.length > 4"> and {{ about.length - 4 }} more</template></template>.</p>
      <p class="faint">Five values are read of it with each report: how many there are, CPU and memory of all and of the largest.</p>
      <IntoTemplate v-model="into" :templates="templates" :alone="own ? '' : props.device.name" otherwise="Show one this page." />
    </template>
  </ChangeDialog>
</template>

<style scoped>
.offers {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
}
.mono {
  overflow-wrap: anywhere;
}
</style>
