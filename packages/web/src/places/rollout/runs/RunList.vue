<script setup lang="ts" generic="Run extends { id: number }">
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** Runs to choose from at the left; what the chosen one did stands beside. */
defineProps<{ label: string; runs: readonly Run[]; hasMore: boolean }>()
defineEmits<{ more: [] }>()
const chosen = defineModel<number | null>({ required: true })
defineSlots<{ what(scope: { run: Run }): unknown; count(scope: { run: Run }): unknown; default(): unknown }>()
const columns = [{ key: 'what' }, { key: 'count', align: 'right', tight: true }] as const
</script>

<template>
  <div class="two">
    <div>
      <ShortTable :label="label" :rows="runs" :columns="columns" row-key="id" :current="chosen" @pick="chosen = $event.id">
        <template #what="{ row }"><slot name="what" :run="row" /></template>
        <template #count="{ row }"><slot name="count" :run="row" /></template>
      </ShortTable>
      <p v-if="hasMore"><button class="link" @click="$emit('more')">older ones</button></p>
    </div>
    <slot />
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 340px minmax(0, 1fr);
  gap: 28px;
  margin-top: 10px;
  align-items: start;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
:slotted(small) {
  display: block;
  font-size: 12.5px;
  line-height: 18px;
  color: var(--ink2);
}
:slotted(small.critical) {
  color: var(--critical);
}
</style>
