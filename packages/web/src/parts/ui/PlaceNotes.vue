<script setup lang="ts">
import { computed } from 'vue'
import type { ClientDetail } from '#contract'
import type { ClientId, SiteId } from '#core'
import { api } from '../data/api'
import { useResource } from '../data/resource'

/** What whoever works at a site should know: the notes of its client and its own. Nothing where there are none. */
const props = defineProps<{ clientId: ClientId; siteId: SiteId }>()
const { data } = useResource(() => api.get<ClientDetail>(`/clients/${props.clientId}`), { isNow: true })
const notes = computed(() =>
  [data.value?.notes, data.value?.sites.find(({ id }) => id === props.siteId)?.notes].filter((text) => text?.trim()),
)
</script>

<template>
  <section v-if="notes.length" aria-label="About the place">
    <h2>About the place</h2>
    <p v-for="(text, i) in notes" :key="i" class="text">{{ text }}</p>
  </section>
</template>

<style scoped>
.text {
  white-space: pre-line;
  overflow-wrap: anywhere;
}
</style>
