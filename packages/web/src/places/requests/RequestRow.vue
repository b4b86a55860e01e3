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

<style scoped>
.row {
  display: grid;
  grid-template-columns: 13px 1fr auto;
  gap: 13px;
  align-items: center;
  width: calc(100% + 20px);
  margin: 0 -10px;
  padding: 3px 10px;
  text-align: left;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--rule2);
  cursor: pointer;
  content-visibility: auto;
  contain-intrinsic-size: auto 44px;
}
.row:hover {
  background: var(--sheet);
}
.row.chosen {
  background: var(--act-soft);
}
.mark {
  font: 700 24px/16px var(--serif);
  color: var(--act);
  padding-top: 10px;
}
small {
  display: block;
  font-size: 12.5px;
  line-height: 17px;
  color: var(--ink2);
}
.what {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.when {
  text-align: right;
  color: var(--ink2);
  white-space: nowrap;
}
</style>
