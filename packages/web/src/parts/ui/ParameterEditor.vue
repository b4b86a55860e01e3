<script setup lang="ts">
import { computed, ref, watch } from 'vue'
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

/** One value, typed as it reads in the sentence: 8 %, 20 GB, 15 min, names one a line. */
const props = defineProps<{ parameter: Parameter; value: ParameterValue }>()
const emit = defineEmits<{ change: [value: ParameterValue]; cancel: []; typing: [value: ParameterValue] }>()

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

function parsed(): ParameterValue | undefined {
  const typed = text.value.trim()
  if (typed === '' && props.parameter.type !== 'patterns')
    return props.parameter.type === 'text' || props.parameter.type === 'hours' ? '' : null
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
function save(): void {
  if (!fault.value) emit('change', parsed()!)
}
</script>

<template>
  <form class="editor" @submit.prevent.stop="save" @keydown.esc.stop="emit('cancel')">
    <label>
      <b>{{ parameter.label }}</b>
      <select v-if="parameter.type === 'choice'" v-model="text" autofocus>
        <option v-for="choice in parameter.choices" :key="choice" :value="choice">{{ choice || 'any' }}</option>
      </select>
      <textarea v-else-if="parameter.type === 'patterns'" v-model="text" rows="4" spellcheck="false" autofocus class="mono" />
      <input v-else v-model="text" spellcheck="false" autofocus :aria-invalid="!!fault" />
    </label>
    <p class="faint">{{ `${parameter.explains} ${rangeText(parameter)}` }}</p>
    <slot />
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
label {
  display: grid;
  gap: 4px;
}
input,
select,
textarea {
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--ink2);
  border-radius: 3px;
  padding: 4px 8px;
  width: 100%;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
