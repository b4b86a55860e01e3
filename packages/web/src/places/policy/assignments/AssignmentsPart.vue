<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed } from 'vue'
import type { PolicyListing } from '#contract'
import type { Resource } from '../../../parts/data/resource'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { useAddressed } from '../../../parts/data/addressed'
import AssignmentTable from './AssignmentTable.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** Every assignment, found by template, target or reason. */
const props = defineProps<{ listing: Resource<PolicyListing> }>()
const words = useAddressed('words')
const only = useAddressed('only', 'all')
const all = computed(() => props.listing.data.value?.assignments ?? [])
const found = computed(() =>
  all.value.filter(
    (assignment) =>
      `${assignment.templateName} ${assignment.targetText} ${assignment.reason}`.toLowerCase().includes(words.value.toLowerCase()) &&
      (only.value === 'all' ||
        (only.value === 'dormant'
          ? assignment.dormant
          : only.value === 'nothing'
            ? assignment.deviceCount === 0
            : assignment.reviewAt !== null && assignment.reviewAt <= Date.now())),
  ),
)
</script>

<template>
  <p class="find">
    <ElInput v-model="words" placeholder="template, target or reason" aria-label="Find assignments" />
    <ChoiceField v-model="only" label="Which">
      <option value="all">all</option>
      <option value="dormant">paused ones</option>
      <option value="nothing">those that reach nothing</option>
      <option value="due">those to review</option>
    </ChoiceField>
  </p>
  <StateNotice
    :error="listing.error.value"
    :loading="!listing.data.value"
    :empty="listing.data.value && !found.length ? 'No assignment is like that.' : ''"
    @again="listing.refresh"
  />
  <AssignmentTable
    v-if="found.length"
    :assignments="found"
    named
    @changed="listing.refresh"
  />
</template>

<style scoped>
.find {
  display: flex;
  gap: 12px;
  padding: 10px 0;
}
</style>
