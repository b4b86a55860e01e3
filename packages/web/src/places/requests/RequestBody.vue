<script setup lang="ts">
import { computed } from 'vue'
import type { RequestPage } from '#contract'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { askerText, standText, subjectText } from '../../parts/format/requestWords'
import { exactText, fullText, now } from '../../parts/format/time'
import AgreedLine from '../../parts/ui/AgreedLine.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import RequestAbout from './RequestAbout.vue'
import RequestActs from './RequestActs.vue'
import RequestThread from './RequestThread.vue'

/** A request: who asks what, whose it is, what one does with it, and all that was written. */
const props = defineProps<{ id: number }>()
const emit = defineEmits<{ changed: [] }>()
const { data: request, error, refresh } = useResource(() => api.get<RequestPage>(`/requests/${props.id}`), {
  topics: ['requests', 'callouts'],
  isNow: true,
})
const stands = computed(() => (request.value ? standText(request.value, now.value) : ''))
async function changed(): Promise<void> {
  await refresh()
  emit('changed')
}
</script>

<template>
  <div>
    <StateNotice :error="error" :loading="!request" @again="refresh" />
    <template v-if="request">
      <p class="muted">asked by mail · {{ stands }}</p>
      <h1>{{ subjectText(request) }}</h1>
      <p>{{ askerText(request) }} <span v-if="request.fromName" class="mono faint" title="An address can be forged: nobody has checked that it is theirs.">{{ request.fromAddress }}</span>
        · <time :title="exactText(request.cameAt, request.zone)">{{ fullText(request.cameAt) }}</time></p>
      <p v-if="request.contact" class="muted">Known as {{ [request.contact.name, request.contact.phone, request.contact.note].filter(Boolean).join(' · ') }}</p>
      <RequestAbout :key="request.clientId ?? 0" :request="request" @changed="changed" />
      <AgreedLine v-if="request.clientId !== null" :client-id="request.clientId" :zone="request.zone" />
      <slot :request="request" :refresh="changed"></slot>
      <RequestActs :request="request" @changed="changed" />
      <RequestThread :request="request" />
      <slot name="after" :request="request"></slot>
    </template>
  </div>
</template>

<style scoped>
h1 {
  overflow-wrap: anywhere;
}
</style>
