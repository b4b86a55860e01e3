<script setup lang="ts">
import { computed } from 'vue'
import type { AlertView, HeldView, RemediationView } from '#contract'
import { alertWords, causeText, endText, flipText, followUpText, pastWords, remediationWords } from '../../parts/format/alertWords'
import DoubtText from '../../parts/ui/DoubtText.vue'
import { postDoubt } from '../../parts/data/known'
import AgeText from '../../parts/ui/AgeText.vue'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import { lengthText, now, shortText } from '../../parts/format/time'
import FlipMarks from '../../parts/ui/FlipMarks.vue'

const props = defineProps<{
  row: AlertView | HeldView | RemediationView
  group: string
  chosen: boolean
  picked?: boolean | null
}>()
defineEmits<{ choose: [] }>()
const isOver = computed(() => props.group === 'settled' || props.group === 'dismissed')
const words = computed(() => (isOver.value ? pastWords(props.row) : alertWords(props.row)))
const alert = computed(() => ('status' in props.row ? props.row : null))
const held = computed(() => ('heldAt' in props.row ? props.row : null))
const remediation = computed(() => ('attempts' in props.row ? props.row : null))
const wellAt = computed(() => alert.value?.closedAt ?? remediation.value?.endedAt ?? null)
const mark = computed(() => (props.group === 'held' ? 'held' : isOver.value ? 'settled' : props.row.severity))
const notes = computed(() =>
  alert.value ? [causeText(alert.value), flipText(alert.value, now.value), followUpText(alert.value, now.value), isOver.value ? endText(alert.value) : ''] : [],
)
</script>

<template>
  <button class="row" :class="{ chosen, picked }" :aria-current="chosen" :aria-pressed="picked ?? undefined" @click="$emit('choose')">
    <SeverityMark :state="mark" />
    <span class="what"><b>{{ words.strong }}</b> {{ words.rest }} <DoubtText :doubt="postDoubt(row)" />
      <small><template v-if="row.deviceName"><span class="mono">{{ row.deviceName }}</span> · </template>{{ row.clientName }}<template
        v-if="row.deviceName"
      > · {{ row.siteName }}</template><template
        v-for="note in notes.filter(Boolean)"
        :key="note"
      > · {{ note }}</template><FlipMarks v-if="alert?.flips.length" :at="alert.flips" /><template
        v-if="alert?.takenBy && !isOver"
      > · taken by {{ alert.takenBy }}</template><template
        v-if="alert?.offeredTo"
      > · handed to {{ alert.offeredTo }} by {{ alert.offeredBy }}</template><template
        v-if="alert?.hiddenUntil"
      > · hidden until {{ shortText(alert.hiddenUntil) }}</template><template
        v-if="remediation"
      > · {{ remediationWords(remediation) }}</template><template
        v-if="held"
      > · {{ held.windowName }}<template v-if="held.windowEnd">, until {{ shortText(held.windowEnd) }}</template></template></small></span>
    <span class="when">
      <template v-if="isOver && wellAt">for {{ lengthText(wellAt - row.began) }}</template><AgeText v-else :at="row.began" />
      <small>{{ isOver && wellAt ? `until ${shortText(wellAt)}` : shortText(row.began) }}</small>
    </span>
  </button>
</template>

<style scoped src="./row.css"></style>

<style scoped>
.picked {
  box-shadow: inset 3px 0 0 var(--act);
  background: var(--act-soft);
}
</style>
