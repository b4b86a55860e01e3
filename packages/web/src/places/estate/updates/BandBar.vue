<script setup lang="ts">
import { computed } from 'vue'
import type { ClientUpdates } from '#contract'
import { behindAfterDays, farBehindAfterDays } from '#contract'
import { countText } from '#core'

/** How many of a client’s devices wait for how long, side by side; those of which nobody knows are no colour at all. */
const props = defineProps<{ client: ClientUpdates }>()
const bands = computed(() => {
  const { none, fresh, behind, farBehind, unknown } = props.client
  return [
    { name: 'far', count: farBehind, text: `${farBehind} for more than ${farBehindAfterDays} days` },
    { name: 'behind', count: behind, text: `${behind} for more than ${behindAfterDays} days` },
    { name: 'fresh', count: fresh, text: `${fresh} for less` },
    { name: 'none', count: none, text: `${none} with none` },
    { name: 'unknown', count: unknown, text: `${unknown} not known` },
  ].filter(({ count }) => count > 0)
})
const words = computed(
  () =>
    `Security updates wait: of ${countText(props.client.devices, 'device')} ${bands.value.map(({ text }) => text).join(', ')}`,
)
</script>

<template>
  <span class="bar" role="img" :aria-label="words" :title="words">
    <span v-for="band in bands" :key="band.name" :class="band.name" :style="{ flexGrow: band.count }" />
  </span>
</template>

<style scoped>
.bar {
  display: flex;
  gap: 1px;
  width: 150px;
  height: 10px;
}
.bar span {
  min-width: 2px;
}
.far {
  background: var(--critical);
}
.behind {
  background: var(--warning);
}
.fresh {
  background: var(--bar);
}
.none {
  background: var(--rule);
}
.unknown {
  border: 1px dashed var(--ink3);
}
</style>
