<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef } from 'vue'
import { cellsBetween, cellTitle, dayNames, type Hours } from './week'

/**
 * A week in hours, a row a day: the darker, the more of what is shown. Hours of one day are chosen by a click, by
 * drawing along them, or by arrow keys, with Shift for more of them.
 */
const props = defineProps<{
  label: string
  /** By hour of the week; null: nothing is known of it. */
  values: readonly (number | null)[]
  /** What is all of it. */
  most: number
  text: (value: number) => string
  isSmall?: boolean
}>()
const chosen = defineModel<Hours | null>('chosen', { default: null })
const field = useTemplateRef<HTMLElement>('field')
const hours = Array.from({ length: 24 }, (_, hour) => hour)
const at = ref(chosen.value?.first ?? 0)
const begun = ref<number | null>(null)
const isChosen = (cell: number) => chosen.value !== null && cell >= chosen.value.first && cell < chosen.value.last
const strength = (value: number) => `${Math.round(100 * Math.min(1, Math.max(0, props.most ? value / props.most : 0)))}%`
const titles = computed(() =>
  props.values.map((value, cell) => `${cellTitle(cell)}: ${value === null ? 'nothing read' : props.text(value)}`),
)
function choose(cell: number, further = false): void {
  at.value = cell
  chosen.value = cellsBetween(further && begun.value !== null ? begun.value : cell, cell)
  if (!further) begun.value = cell
}
function enter(event: PointerEvent, cell: number): void {
  if (event.buttons === 1 && begun.value !== null) choose(cell, true)
}
const steps: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -24, ArrowDown: 24 }
async function go(event: KeyboardEvent): Promise<void> {
  const step = steps[event.key]
  if (step === undefined) return
  event.preventDefault()
  event.stopPropagation()
  const next = at.value + step
  if (next < 0 || next > 167) return
  choose(next, event.shiftKey)
  await nextTick()
  field.value?.querySelector<HTMLElement>('[tabindex="0"]')?.focus()
}
</script>

<template>
  <div ref="field" :class="['week', { small: isSmall }]" role="grid" :aria-label="label" @keydown="go">
    <div v-if="!isSmall" class="row" role="row">
      <span role="columnheader"><span class="visually-hidden">Day</span></span>
      <span v-for="hour in hours" :key="hour" class="hour" role="columnheader">{{ hour % 3 ? '' : hour }}</span>
    </div>
    <div v-for="(name, weekday) in dayNames" :key="name" class="row" role="row">
      <span v-if="!isSmall" class="day" role="rowheader">{{ name }}</span>
      <span
        v-for="hour in hours"
        :key="hour"
        role="gridcell"
        :tabindex="isSmall ? undefined : at === weekday * 24 + hour ? 0 : -1"
        :aria-selected="isChosen(weekday * 24 + hour)"
        :aria-label="titles[weekday * 24 + hour]"
        :title="titles[weekday * 24 + hour]"
        :class="{ none: values[weekday * 24 + hour] === null, chosen: isChosen(weekday * 24 + hour) }"
        :style="{ '--part': strength(values[weekday * 24 + hour] ?? 0) }"
        @focus="at = weekday * 24 + hour"
        @pointerdown="choose(weekday * 24 + hour, $event.shiftKey)"
        @pointerenter="enter($event, weekday * 24 + hour)"
      />
    </div>
  </div>
</template>

<style scoped>
.week {
  display: grid;
  gap: 2px;
  user-select: none;
}
.row {
  display: grid;
  grid-template-columns: 92px repeat(24, minmax(0, 1fr));
  gap: 2px;
}
.small .row {
  grid-template-columns: repeat(24, minmax(0, 1fr));
  gap: 1px;
}
.small {
  gap: 1px;
}
.day,
.hour {
  color: var(--ink2);
  font-size: 12.5px;
}
[role='gridcell'] {
  height: 24px;
  background: color-mix(in srgb, var(--act) var(--part), var(--sheet));
  border: 1px solid var(--rule2);
  cursor: pointer;
}
.small [role='gridcell'] {
  height: 10px;
  border: 0;
}
[role='gridcell'].none {
  background: repeating-linear-gradient(135deg, transparent 0 4px, var(--rule2) 4px 5px);
}
[role='gridcell'].chosen {
  outline: 2px solid var(--ink);
  outline-offset: -1px;
}
</style>
