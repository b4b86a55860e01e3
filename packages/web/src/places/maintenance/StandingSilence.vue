<script setup lang="ts">
import { computed, ref } from 'vue'
import type { ExceptionView, PolicyListing } from '#contract'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { dayText, now } from '../../parts/format/time'
import ShortTable from '../../parts/ui/ShortTable.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'

/**
 * What nobody is told of for good: watches that policy leaves out somewhere. That is no maintenance, has no end, and is
 * looked at again on a day of its own.
 */
const isOpen = ref(false)
const listing = useResource(() => (isOpen.value ? api.get<PolicyListing>('/policy') : Promise.resolve(null)), {
  sources: [isOpen],
})
const leftOut = computed(() =>
  (listing.data.value?.exceptions ?? [])
    .filter((exception) => exception.leftOut)
    .sort((a, b) => (a.reviewAt ?? Infinity) - (b.reviewAt ?? Infinity)),
)
const isDue = ({ reviewAt }: ExceptionView) => reviewAt !== null && reviewAt < now.value
const columns = [
  { key: 'watch', title: 'Watch', width: 210 },
  { key: 'where', title: 'Left out on', width: 260, grow: 1 },
  { key: 'reason', title: 'Reason', width: 260, grow: 1 },
  { key: 'owner', title: 'Owner', width: 120 },
  { key: 'review', title: 'Review on', width: 120 },
] as const
</script>

<template>
  <section>
    <h2>Left out for good
      <button
        class="link"
        :aria-expanded="isOpen"
        @click="isOpen = !isOpen"
      >{{ isOpen ? 'hide' : 'show' }}</button></h2>
    <p class="muted">What policy leaves out somewhere is no maintenance: it has a reason, an owner and a day of review
      instead of an end. It is changed in <RouterLink to="/policy?part=exceptions">Policy, exceptions</RouterLink>.</p>
    <template v-if="isOpen">
      <StateNotice
        :error="listing.error.value"
        :loading="!listing.data.value"
        :empty="listing.data.value && !leftOut.length ? 'Policy leaves nothing out.' : ''"
        @again="listing.refresh"
      />
      <ShortTable v-if="leftOut.length" label="Left out by policy" :rows="leftOut" :columns="columns" row-key="id">
        <template #watch="{ row }">{{ row.watchName }}</template>
        <template #where="{ row }">{{ row.targetText }}</template>
        <template #reason="{ row }"><span class="muted">{{ row.reason }}</span></template>
        <template #owner="{ row }">{{ row.ownerName || 'nobody' }}</template>
        <template #review="{ row }"><span :class="{ warning: isDue(row) }">{{ row.reviewAt ? dayText(row.reviewAt) : 'never' }}</span></template>
      </ShortTable>
    </template>
  </section>
</template>

<style scoped>
section {
  margin-top: 22px;
}
</style>
