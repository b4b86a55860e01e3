<script setup lang="ts">
import type { SentencePart } from '#core'

/** A rule as a sentence; its parameters are the controls when it can be edited, or show where they come from. */
defineProps<{
  parts: SentencePart[]
  editable?: boolean
  marked?: (parameter: string) => boolean
  hint?: (parameter: string) => string
}>()
defineEmits<{ pick: [parameter: string, element: HTMLElement] }>()
</script>

<template>
  <p class="sentence">
    <template v-for="(part, i) in parts" :key="i">
      <button
        v-if="'parameter' in part && (editable || hint)"
        type="button"
        class="control"
        :class="{ changed: marked?.(part.parameter) }"
        :title="hint?.(part.parameter)"
        :data-parameter="part.parameter"
        @click="$emit('pick', part.parameter, $event.currentTarget as HTMLElement)"
      >{{ part.text }}</button>
      <b v-else-if="'parameter' in part" :class="{ whole: part.text.length < 24 }">{{ part.text }}</b>
      <template v-else>{{ part.text }}</template>
    </template>
  </p>
</template>

<style scoped>
.whole {
  white-space: nowrap;
}
.control {
  border: 0;
  background: none;
  padding: 0;
  font: inherit;
  font-weight: 600;
  border-bottom: 1.5px dotted var(--ink3);
  cursor: pointer;
}
.control:hover {
  color: var(--act);
  border-color: var(--act);
}
.changed {
  border: 1.5px solid var(--act);
  border-radius: 3px;
  padding: 0 5px;
  color: var(--act);
  background: var(--field);
}
</style>
