<script setup lang="ts">
import { computed } from 'vue'
import type { ClientDetail } from '#contract'
import { readHours, withinHours, type ClientId } from '#core'
import { api } from '../data/api'
import { useResource } from '../data/resource'
import { now } from '../format/time'

/** What is agreed with a client, and whether one works for them now. Nothing where nothing is. */
const props = defineProps<{ clientId: ClientId; zone: string }>()
const { data } = useResource(() => api.get<ClientDetail>(`/clients/${props.clientId}`), { isNow: true, topics: ['estate'] })
const hours = computed(() => (data.value?.agreedHours ? readHours(data.value.agreedHours) : null))
const isOutside = computed(() => hours.value !== null && !withinHours(hours.value, now.value, props.zone))
</script>

<template>
  <p v-if="data && (data.agreedHours || data.agreed)" class="muted">Agreed: <template v-if="data.agreedHours">{{ data.agreedHours }} ({{ zone }})<span v-if="isOutside" class="warning">, which is not now</span></template><template
    v-if="data.agreedHours && data.agreed"
  >; </template>{{ data.agreed }}</p>
</template>
