<script setup lang="ts">
import { computed, ref } from 'vue'
import type { AssignmentView } from '#contract'
import { valuesText, type AssignmentBody, type PolicyStep } from '#core'
import { useSession } from '../../../parts/data/session'
import { dayText, exactText } from '../../../parts/format/time'
import AssignDialog from './AssignDialog.vue'
import ChangeDialog from '../impact/ChangeDialog.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import type { ShortColumn } from '../../../parts/ui/table'

/** Assignments as they stand; switched off and on, changed and removed where one may. */
const props = defineProps<{
  assignments: AssignmentView[]
  named?: boolean
}>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const editing = ref<AssignmentView | null>(null)
const ownText = ({ values, watches }: AssignmentView) =>
  Object.entries(values)
    .map(([key, own]) => {
      const watch = watches[key]
      return watch ? `${watch.name}: ${valuesText(watch.kind, own)}` : `${key}: ${Object.keys(own).join(', ')}`
    })
    .join('; ')
/** What is asked about before it is done. */
const asking = ref<{ title: string; steps: PolicyStep[]; verb: string; said: string } | null>(null)
function turn(assignment: AssignmentView): void {
  const to: AssignmentBody = {
    templateId: assignment.templateId,
    target: assignment.target,
    rank: assignment.rank,
    values: assignment.values,
    dormant: !assignment.dormant,
    reason: assignment.reason,
    reviewAt: assignment.reviewAt,
  }
  asking.value = {
    title: `${assignment.dormant ? 'Resume' : 'Pause'}: ${assignment.templateName} for ${assignment.targetText}`,
    steps: [{ of: 'assignment', id: assignment.id, basedOn: assignment.revision, to }],
    verb: assignment.dormant ? 'Resume, for' : 'Pause, for',
    said: assignment.dormant ? 'Resumed.' : 'Paused: it stays listed, and nothing is evaluated by it.',
  }
}
function remove(assignment: AssignmentView): void {
  asking.value = {
    title: `Remove ${assignment.templateName} from ${assignment.targetText}`,
    steps: [{ of: 'assignment', id: assignment.id, basedOn: assignment.revision, to: null }],
    verb: 'Remove, for',
    said: 'Removed.',
  }
}
function asked(happened: boolean): void {
  asking.value = null
  if (happened) emit('changed')
}
const columns = computed((): ShortColumn<AssignmentView>[] => [
  ...(props.named
    ? [{ key: 'template', title: 'Template', sortBy: (assignment: AssignmentView) => assignment.templateName }]
    : []),
  { key: 'target', title: 'Target', sortBy: (assignment) => assignment.targetText },
  { key: 'devices', title: 'Devices', align: 'right', sortBy: (assignment) => -assignment.deviceCount },
  { key: 'rank', title: 'Rank', hint: 'Among equally specific targets the lower number wins', align: 'right' },
  { key: 'own', title: 'Own values' },
  { key: 'why', title: 'Why' },
  { key: 'review', title: 'Review on', tight: true, sortBy: (assignment) => assignment.reviewAt ?? Infinity },
  { key: 'by', title: 'By', tight: true, sortBy: (assignment) => assignment.createdBy },
  { key: 'acts', align: 'right', tight: true },
])
</script>

<template>
  <ShortTable label="Assignments" :rows="assignments" :columns="columns" row-key="id" sort-name="sort">
    <template #template="{ row: assignment }"><RouterLink :to="`/policy/${assignment.templateId}`">{{ assignment.templateName }}</RouterLink></template>
    <template #target="{ row: assignment }">{{ assignment.targetText }}<span v-if="assignment.dormant" class="muted"> (paused)</span><span class="faint"> {{ assignment.target.on === 'devices' ? 'by hand' : '' }}</span></template>
    <template #devices="{ row: assignment }">{{ assignment.deviceCount }}</template>
    <template #rank="{ row: assignment }">{{ assignment.rank }}</template>
    <template #own="{ row: assignment }"><span class="muted">{{ ownText(assignment) }}</span></template>
    <template #why="{ row: assignment }"><span class="muted">{{ assignment.reason }}</span></template>
    <template #review="{ row: assignment }"><span :class="assignment.reviewAt !== null && assignment.reviewAt <= Date.now() ? 'warning' : 'muted'">{{ assignment.reviewAt === null ? '' : dayText(assignment.reviewAt) }}</span></template>
    <template #by="{ row: assignment }"><span class="muted" :title="exactText(assignment.createdAt)">{{ assignment.createdBy }}</span></template>
    <template #acts="{ row: assignment }"><template v-if="session.isLead"><button class="link" @click="editing = assignment">change</button> <button class="link" @click="turn(assignment)">{{ assignment.dormant ? 'resume' : 'pause' }}</button> <button class="link" @click="remove(assignment)">remove</button></template></template>
  </ShortTable>
  <AssignDialog
    v-if="editing"
    :templates="[]"
    :template-id="editing.templateId"
    :assignment="editing"
    @close="editing = null; emit('changed')"
  />
  <ChangeDialog v-if="asking" v-bind="asking" @close="asked" />
</template>
