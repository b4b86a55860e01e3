<script setup lang="ts">
import { watch } from 'vue'
import type { CredentialView } from '#contract'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** Stored sign-ins in the order in which they are tried, as part of a sentence. */
const props = defineProps<{ usable: readonly CredentialView[]; none: string }>()
const trials = defineModel<number[]>({ required: true })
const nameOf = (id: number) => props.usable.find((credential) => credential.id === id)?.name
watch(
  () => props.usable,
  (list) => {
    trials.value = trials.value.filter((id) => list.some((credential) => credential.id === id))
  },
)
const add = (id: unknown) => {
  if (typeof id === 'number') trials.value = [...trials.value, id]
}
</script>

<template>
  <span>
    <template v-if="trials.length">signing in with </template>
    <template v-for="id in trials" :key="id"><b>{{ nameOf(id) }}</b> <button
      type="button"
      class="link"
      :aria-label="`Not with ${nameOf(id)}`"
      @click="trials = trials.filter((trial) => trial !== id)"
    >×</button>, then </template>
    <ChoiceField :model-value="'' as unknown" label="Sign-in" @update:model-value="add">
      <option value="">{{ trials.length ? 'none further' : usable.length ? none : 'no sign-in is stored here' }}</option>
      <option
        v-for="credential in usable.filter((each) => !trials.includes(each.id))"
        :key="credential.id"
        :value="credential.id"
      >{{ credential.name }} ({{ credential.userName }})</option>
    </ChoiceField>
  </span>
</template>
