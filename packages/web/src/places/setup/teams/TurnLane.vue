<script setup lang="ts">
import { computed } from 'vue'
import type { TurnView } from '#contract'
import { day, type Millis } from '#core'
import { dayText } from '../../../parts/format/time'
import { zonedText } from '../../../parts/format/time'

/** Who is on call over some weeks, as one lane. */
const props = defineProps<{ turns: readonly TurnView[]; from: Millis; until: Millis; zone: string; label: string }>()
const share = (at: Millis) => ((at - props.from) / (props.until - props.from)) * 100
const people = computed(() => [...new Set(props.turns.map(({ personId }) => personId))])
const weeks = computed(() => Array.from({ length: 4 }, (_, i) => props.from + i * 7 * day))
</script>

<template>
  <div>
    <ol class="lane" :aria-label="label">
      <li
        v-for="turn in turns"
        :key="turn.from"
        :class="[`tone${people.indexOf(turn.personId) % 3}`, { swap: turn.insteadOf }]"
        :style="{ left: `${share(turn.from)}%`, width: `calc(${share(turn.until) - share(turn.from)}% - 2px)` }"
        :title="`${turn.name}${turn.insteadOf ? `, instead of ${turn.insteadOf}` : ''}: ${zonedText(turn.from, zone)} – ${zonedText(turn.until, zone)} (${zone})`"
      >{{ turn.name }}</li>
    </ol>
    <p class="weeks faint" aria-hidden="true"><span v-for="week in weeks" :key="week">{{ dayText(week) }}</span></p>
  </div>
</template>

<style scoped>
.lane {
  position: relative;
  height: 26px;
  margin: 4px 0 0;
  padding: 0;
  list-style: none;
  border-bottom: 1px solid var(--rule);
}
li {
  position: absolute;
  top: 1px;
  height: 23px;
  padding: 2px 7px;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
  font-size: 13px;
  background: var(--sheet);
  border-left: 3px solid var(--ink2);
}
.tone1 {
  border-left-style: double;
  background: var(--rule2);
}
.tone2 {
  border-left-style: dotted;
}
.swap {
  border-left-color: var(--act);
  background: var(--act-soft);
}
.weeks {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  font-size: 12px;
}
</style>
