<script setup lang="ts">
import { computed } from 'vue'
import type { RequestView } from '#contract'
import { askerText, clientText, isWaiting, standText, subjectText } from '../../parts/format/requestWords'
import { now, shortText } from '../../parts/format/time'
import AgeText from '../../parts/ui/AgeText.vue'

/** A request among what needs a person. */
const props = defineProps<{ request: RequestView; chosen: boolean }>()
defineEmits<{ choose: [] }>()
const stands = computed(() => standText(props.request, now.value))
</script>

<template>
  <button class="row" :class="{ chosen }" :aria-current="chosen" @click="$emit('choose')">
    <span class="mark" aria-hidden="true">{{ isWaiting(request) ? '“' : '' }}</span>
    <span class="what"><b>{{ subjectText(request) }}</b> {{ askerText(request) }}
      <small>{{ clientText(request) }} · {{ stands }}</small></span>
    <span class="when"><AgeText :at="request.lastCameAt" /> <small>{{ shortText(request.lastCameAt) }}</small></span>
  </button>
</template>

<style scoped src="../rounds/row.css"></style>

<style scoped>
.mark {
  font: 700 24px/16px var(--serif);
  color: var(--act);
  padding-top: 10px;
}
</style>
