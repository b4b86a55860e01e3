<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, onMounted, ref, useTemplateRef, watch } from 'vue'
import {
  bytesText,
  durationText,
  parameterFault,
  parseBytes,
  parseDuration,
  rangeText,
  type Parameter,
  type ParameterValue,
} from '#core'
import ChoiceField from './ChoiceField.vue'

/** One value, typed as it reads in the sentence: 8 %, 20 GB, 15 min, names one a line. */
const props = defineProps<{ parameter: Parameter; value: ParameterValue }>()
const emit = defineEmits<{ change: [value: ParameterValue]; cancel: []; typing: [value: ParameterValue] }>()
/** Below the field; `typed`: what stands in it, right or wrong. */
defineSlots<{ default(props: { typed: ParameterValue }): unknown }>()

const shown = (value: ParameterValue): string => {
  if (value === null) return ''
  switch (props.parameter.type) {
    case 'percent':
      return `${Number(((value as number) * 100).toFixed(2))} %`
    case 'bytes':
      return bytesText(value as number)
    case 'duration':
      return durationText(value as number)
    case 'patterns':
    case 'lines':
      return (value as string[]).join('\n')
    default:
      return String(value)
  }
}
const text = ref(shown(props.value))
watch(
  () => [props.parameter.name, props.value],
  () => {
    // What is being typed may come back as the value: it is not to be written anew under the fingers.
    if (JSON.stringify(parsed()) !== JSON.stringify(props.value)) text.value = shown(props.value)
  },
)

const isSeveral = computed(() => props.parameter.type === 'patterns' || props.parameter.type === 'lines')
function parsed(): ParameterValue | undefined {
  const typed = text.value.trim()
  const { type, choices } = props.parameter
  if (typed === '' && !isSeveral.value)
    return type === 'text' || type === 'hours' || (type === 'choice' && choices?.includes('')) ? '' : null
  switch (props.parameter.type) {
    case 'percent': {
      const match = /^(\d+(?:\.\d+)?)\s*%?$/.exec(typed)
      return match ? Number(match[1]) / 100 : undefined
    }
    case 'bytes':
      return parseBytes(typed) ?? undefined
    case 'duration':
      return parseDuration(typed) ?? undefined
    case 'patterns':
      return typed
        .split(/[\n,]/)
        .map((line) => line.trim())
        .filter(Boolean)
    case 'lines':
      return typed
        .split('\n')
        .map((line) => line.trim())
        .filter(Boolean)
    case 'count':
    case 'number':
      return Number.isFinite(Number(typed)) ? Number(typed) : undefined
    default:
      return typed
  }
}
const examples: Partial<Record<Parameter['type'], string>> = {
  percent: '8 %',
  bytes: '20 GB',
  duration: '90 s, 15 min, 2 h, 7 days',
  hours: 'Mon–Fri 08:00–20:00',
  count: '3',
  number: '2.5',
}
const fault = computed(() => {
  const value = parsed()
  if (value === undefined) return `Write it like ${examples[props.parameter.type] ?? 'a value'}.`
  return parameterFault(props.parameter, value)
})
watch(text, () => {
  if (!fault.value) emit('typing', parsed()!)
})
const form = useTemplateRef<HTMLFormElement>('form')
/** Whoever opened it types at once. What it stands in may take a moment to be seen, and nothing hidden takes the focus. */
onMounted(() => {
  let tries = 0
  const focus = () => {
    const field = form.value?.querySelector<HTMLElement>('input,textarea')
    field?.focus({ preventScroll: true })
    if (document.activeElement !== field && ++tries < 20) setTimeout(focus, 25)
  }
  focus()
})
function save(): void {
  if (!fault.value) emit('change', parsed()!)
}
</script>

<template>
  <form ref="form" class="editor" :class="{ wide: parameter.type === 'lines' }" @submit.prevent.stop="save" @keydown.esc.stop="emit('cancel')">
    <label>
      <b>{{ parameter.label }}</b>
      <ChoiceField v-if="parameter.type === 'choice'" v-model="text" :label="parameter.label">
        <option v-for="choice in parameter.choices" :key="choice" :value="choice">{{ choice || 'any' }}</option>
      </ChoiceField>
      <ElInput
        v-else
        v-model="text"
        :type="isSeveral ? 'textarea' : 'text'"
        :rows="4"
        :class="{ mono: isSeveral }"
        spellcheck="false"
        :aria-invalid="!!fault"
      />
    </label>
    <p class="faint">{{ `${parameter.explains} ${rangeText(parameter)}` }}</p>
    <slot :typed="parsed() ?? null" />
    <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
    <div class="row">
      <button class="btn main" :disabled="!!fault">Use</button>
      <button type="button" class="btn" @click="emit('cancel')">Cancel</button>
    </div>
  </form>
</template>

<style scoped>
.editor {
  display: grid;
  gap: 8px;
  max-width: 300px;
  font: 14px/20px var(--sans);
}
.wide {
  max-width: none;
  max-height: 50vh;
  overflow: auto;
}
/* What can be tried stands below, and may be long; how lines are written is read once. */
.wide > :not(label, .row, .critical) {
  order: 1;
}
.wide > .faint {
  order: 2;
}
label {
  display: grid;
  gap: 4px;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
