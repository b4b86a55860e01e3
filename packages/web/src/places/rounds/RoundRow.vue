<script setup lang="ts">
import { computed } from 'vue'
import type { AlertView, HeldView, RemediationView } from '#contract'
import { alertWords, remediationWords } from '../../parts/format/alertWords'
import DoubtText from '../../parts/ui/DoubtText.vue'
import { postDoubt } from '../../parts/data/known'
import AgeText from '../../parts/ui/AgeText.vue'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import { clockText, shortText } from '../../parts/format/time'

const props = defineProps<{
  row: AlertView | HeldView | RemediationView
  group: string
  chosen: boolean
  picked?: boolean | null
}>()
defineEmits<{ choose: [] }>()
const words = computed(() => {
  const { strong, rest } = alertWords(props.row)
  return {
    strong,
    rest: props.group === 'settled' ? rest.replace(/^(\s*)is /, '$1was ').replace(/^(\s*)has /, '$1had ') : rest,
  }
})
const alert = computed(() => ('status' in props.row ? props.row : null))
const held = computed(() => ('heldAt' in props.row ? props.row : null))
const remediation = computed(() => ('attempts' in props.row ? props.row : null))
const wellAt = computed(() => alert.value?.closedAt ?? remediation.value?.endedAt ?? null)
const mark = computed(() =>
  props.group === 'held' ? 'held' : props.group === 'settled' ? 'settled' : props.row.severity,
)
</script>

<template>
  <button class="row" :class="{ chosen, picked }" :aria-current="chosen" :aria-pressed="picked ?? undefined" @click="$emit('choose')">
    <SeverityMark :state="mark" />
    <span class="what"><b>{{ words.strong }}</b> {{ words.rest }} <DoubtText :doubt="postDoubt(row)" />
      <small><span class="mono">{{ row.deviceName }}</span> · {{ row.clientName }} · {{ row.siteName }}<template v-if="alert?.closedAt && group !== 'settled'"> · over since {{ clockText(alert.closedAt) }}</template><template v-if="alert?.takenBy"> · taken by {{ alert.takenBy }}</template><template v-if="alert?.offeredTo"> · handed to {{ alert.offeredTo }} by {{ alert.offeredBy }}</template><template v-if="alert?.hiddenUntil"> · hidden until {{ shortText(alert.hiddenUntil) }}</template><template v-if="remediation"> · {{ remediationWords(remediation) }}</template><template v-if="held"> · {{ held.windowName }}<template v-if="held.windowEnd">, until {{ shortText(held.windowEnd) }}</template></template></small></span>
    <span class="when">
      <AgeText :at="row.began" />
      <small>{{ group === 'settled' && wellAt ? `well ${clockText(wellAt)}` : shortText(row.began) }}</small>
    </span>
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
  /* However far somebody goes down, only what is in sight is laid out and drawn. */
  content-visibility: auto;
  contain-intrinsic-size: auto 44px;
}
.picked {
  box-shadow: inset 3px 0 0 var(--act);
  background: var(--act-soft);
}
.row:hover {
  background: var(--sheet);
}
.row.chosen {
  background: var(--act-soft);
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
.what small {
  overflow: hidden;
  text-overflow: ellipsis;
}
.when {
  text-align: right;
  color: var(--ink2);
  white-space: nowrap;
}
</style>
