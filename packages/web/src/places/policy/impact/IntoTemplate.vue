<script setup lang="ts">
import type { PolicyListing } from '#contract'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** The template that a watch is put into: one that there is, or a new one for a device alone. */
const into = defineModel<string>({ required: true })
const props = defineProps<{
  templates: readonly PolicyListing['templates'][number][]
  /** The device that may have one of its own; empty: none, or it has one already. */
  alone: string
  /** What somebody does who may not change templates. */
  otherwise: string
}>()
const session = useSession()
</script>

<template>
  <p v-if="session.isLead" class="sentence">Put it into
    <ChoiceField v-model="into" label="Template">
      <option value="">a template…</option>
      <option v-if="props.alone" value="0">a new one for {{ props.alone }} alone</option>
      <option v-for="template in props.templates" :key="template.id" :value="String(template.id)">{{ template.name }}</option>
    </ChoiceField></p>
  <p v-else class="muted">Templates are changed by a lead. {{ props.otherwise }}</p>
</template>
