<script setup lang="ts">
import { watch } from 'vue'
import type { CredentialView } from '#contract'

/** Stored sign-ins in the order in which they are tried, as part of a sentence. */
const props = defineProps<{ usable: readonly CredentialView[]; none: string }>()
const trials = defineModel<number[]>({ required: true })
const nameOf = (id: number) => props.usable.find((one) => one.id === id)?.name
watch(
  () => props.usable,
  (list) => {
    trials.value = trials.value.filter((id) => list.some((one) => one.id === id))
  },
)
function add(event: Event): void {
  const select = event.target as HTMLSelectElement
  if (select.value) trials.value = [...trials.value, Number(select.value)]
  select.value = ''
}
</script>

<template>
  <span><template v-if="trials.length">signing in with </template><template v-for="id in trials" :key="id"><b>{{ nameOf(id) }}</b> <button type="button" class="link" :aria-label="`Not with ${nameOf(id)}`" @click="trials = trials.filter((one) => one !== id)">×</button>, then </template>
    <select value="" aria-label="Sign-in" @change="add"><option value="">{{ trials.length ? 'none further' : usable.length ? none : 'no sign-in is stored here' }}</option><option v-for="one in usable.filter((each) => !trials.includes(each.id))" :key="one.id" :value="one.id">{{ one.name }} ({{ one.userName }})</option></select></span>
</template>
