<script setup lang="ts">
import type { RequestPart } from '#contract'
import { numberText } from '#core'
import NearEnd from '../../parts/ui/NearEnd.vue'
import RequestRow from './RequestRow.vue'

/** Requests of one kind among what needs a person. */
defineProps<{
  title: string
  part: RequestPart
  chosen: string | null
  /** Only the first of them are shown until somebody asks for the others. */
  isShort?: boolean
}>()
defineEmits<{ choose: [key: string]; more: []; all: [] }>()
</script>

<template>
  <section :aria-label="title">
    <h2>{{ title }} <span class="faint">{{ numberText(part.total) }}</span></h2>
    <RequestRow
      v-for="request in part.rows"
      :id="`request-${request.id}`"
      :key="request.id"
      :request="request"
      :chosen="chosen === `request-${request.id}`"
      @choose="$emit('choose', `request-${request.id}`)"
    />
    <p v-if="isShort" class="rest"><button class="link" @click="$emit('all')">and {{ numberText(part.total - part.rows.length) }} more that wait: show them</button></p>
    <NearEnd v-else-if="part.next" :key="part.rows.length" :rest="part.total - part.rows.length" @near="$emit('more')" />
  </section>
</template>

<style scoped>
section {
  margin-top: 12px;
}
h2 {
  border-top: 1.5px solid var(--ink);
  padding-top: 7px;
  font-size: 15px;
}
.rest {
  padding: 4px 0 0 26px;
}
h2 span {
  font: 14px var(--sans);
  margin-left: 6px;
}
</style>
