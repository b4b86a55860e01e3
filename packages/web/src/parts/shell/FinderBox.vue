<script setup lang="ts">
import { ref, useTemplateRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Found } from '#contract'
import { api } from '../data/api'
import SuggestField from '../ui/SuggestField.vue'
import { useKeys } from './keys'

const router = useRouter()
const field = useTemplateRef<{ focus(): void; blur(): void; clear(): void }>('field')
const open = ref(false)
const find = (words: string) => api.get<Found[]>(`/find?q=${encodeURIComponent(words)}`)
/** The keys of the page work again at once. */
function go(hit: Found): void {
  field.value?.blur()
  void router.push(hit.path)
}
// What was typed belongs to the page that it was typed on.
const route = useRoute()
watch(
  () => route.path,
  () => field.value?.clear(),
)
useKeys('Everywhere', [{ key: '/', does: 'find', run: () => field.value?.focus() }])
</script>

<template>
  <div class="find" role="search" @focusin="open = true" @focusout="open = false">
    <SuggestField
      ref="field"
      label="Find"
      placeholder="Find a device, alert, rule"
      :ask="find"
      :none="(words) => `Nothing has “${words}” in its name.`"
      @choose="go"
    >
      <template #default="{ item: hit }"><b>{{ hit.title }}</b> <span class="muted">{{ hit.kind }} · {{ hit.context }}</span></template>
    </SuggestField>
    <kbd v-if="!open">/</kbd>
  </div>
</template>

<style scoped>
.find {
  margin-left: auto;
  width: 200px;
  border-bottom: 1px solid var(--rule);
  display: flex;
  align-items: center;
}
.find :deep(.el-input__wrapper) {
  box-shadow: none;
  background: none;
  padding: 0;
}
.find:focus-within {
  border-bottom-color: var(--act);
}
</style>
