<script setup lang="ts">
import { fullText } from '../../../parts/format/time'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { usualSpans, type Shown } from './span'

/** Which time is shown, as a sentence to choose another in. */
defineProps<{ shown: Shown }>()
const last = defineModel<number>('last', { required: true })
</script>

<template>
  <span class="sentence">
    <template v-if="'last' in shown">The last</template>
    <template v-else>{{ fullText(shown.from) }} to {{ fullText(shown.until) }}, or the last</template>{{ ' ' }}
    <ChoiceField v-model="last" label="Span">
      <option v-if="last === 0" :value="0" disabled>…</option>
      <option v-for="span in usualSpans" :key="span.name" :value="span.last">{{ span.title }}</option>
    </ChoiceField>
  </span>
  <span class="muted hint">Draw across a chart to look nearer; <kbd>+</kbd> <kbd>-</kbd> nearer, farther; <kbd>,</kbd> <kbd>.</kbd> earlier, later.</span>
</template>

<style scoped>
.hint {
  margin-left: 18px;
  font: 13px var(--sans);
}
@media print {
  .hint {
    display: none;
  }
}
</style>
