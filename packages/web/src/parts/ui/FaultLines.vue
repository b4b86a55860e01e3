<script setup lang="ts">
import { useTemplateRef } from 'vue'

/**
 * What is wrong with a form that is written as a sentence: below it, each fault with the name of its field, to which it
 * leads. The field itself is marked as invalid.
 */
defineProps<{
  faults: Readonly<Record<string, string>>
  /** What the fields are called, by their names in the body of the request. */
  fields: Readonly<Record<string, string>>
}>()
const host = useTemplateRef<HTMLElement>('host')
function lead(label: string): void {
  host.value?.closest('form')?.querySelector<HTMLElement>(`[aria-label="${CSS.escape(label)}"]`)?.focus()
}
</script>

<template>
  <div ref="host">
    <div v-if="Object.keys(faults).length" role="alert" class="faults">
      <p v-for="(fault, field) in faults" :key="field">
        <button v-if="fields[field]" type="button" class="link" @click="lead(fields[field])">{{ fields[field] }}:</button> {{ fault }}
      </p>
    </div>
  </div>
</template>

<style scoped>
.faults {
  color: var(--critical);
  font: 14px/20px var(--sans);
}
</style>
