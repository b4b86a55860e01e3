<script setup lang="ts">
import { ref } from 'vue'
import type { AssignmentView, TemplatePage, TemplateSummary } from '#contract'
import { valuesText, type AssignmentBody, type PolicyStep } from '#core'
import { useSession } from '../../../parts/data/session'
import { dayText, exactText } from '../../../parts/format/time'
import AssignDialog from './AssignDialog.vue'
import ChangeDialog from '../impact/ChangeDialog.vue'

/** Assignments as they stand; switched off and on, changed and removed where one may. */
const props = defineProps<{
  assignments: AssignmentView[]
  templates: (TemplatePage | TemplateSummary)[]
  named?: boolean
}>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const editing = ref<AssignmentView | null>(null)
const kindOf = (assignment: AssignmentView, key: string) => {
  const template = props.templates.find((each) => each.id === assignment.templateId)
  return template && 'watches' in template ? template.watches.find((watch) => watch.key === key)?.kind : undefined
}
const ownText = (assignment: AssignmentView) =>
  Object.entries(assignment.values)
    .map(([key, values]) => {
      const kind = kindOf(assignment, key)
      return `${key}: ${kind ? valuesText(kind, values) : Object.keys(values).join(', ')}`
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
</script>

<template>
  <table class="board">
    <thead>
      <tr>
        <th v-if="named">Template</th>
        <th>Target</th>
        <th class="num">Devices</th>
        <th class="num" title="Among equally specific targets the lower number wins">Rank</th>
        <th>Own values</th>
        <th>Why</th>
        <th>Review on</th>
        <th>By</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="assignment in assignments" :key="assignment.id">
        <td v-if="named">
          <RouterLink :to="`/policy/${assignment.templateId}`">{{ assignment.templateName }}</RouterLink>
        </td>
        <td>{{ assignment.targetText }}<span v-if="assignment.dormant" class="muted"> (paused)</span><span class="faint"> {{ assignment.target.on === 'devices' ? 'by hand' : '' }}</span></td>
        <td class="num">{{ assignment.deviceCount }}</td>
        <td class="num">{{ assignment.rank }}</td>
        <td class="muted">{{ ownText(assignment) }}</td>
        <td class="muted">{{ assignment.reason }}</td>
        <td :class="assignment.reviewAt !== null && assignment.reviewAt <= Date.now() ? 'warning' : 'muted'">{{ assignment.reviewAt === null ? '' : dayText(assignment.reviewAt) }}</td>
        <td class="muted by" :title="exactText(assignment.createdAt)">{{ assignment.createdBy }}</td>
        <td class="num acts">
          <template v-if="session.isLead"><button class="link" @click="editing = assignment">change</button> <button class="link" @click="turn(assignment)">{{ assignment.dormant ? 'resume' : 'pause' }}</button> <button class="link" @click="remove(assignment)">remove</button></template>
        </td>
      </tr>
    </tbody>
  </table>
  <AssignDialog
    v-if="editing"
    :templates="[]"
    :template-id="editing.templateId"
    :assignment="editing"
    @close="editing = null; emit('changed')"
  />
  <ChangeDialog v-if="asking" v-bind="asking" @close="asked" />
</template>

<style scoped>
.acts,
.by {
  white-space: nowrap;
}
.acts .link {
  margin-left: 8px;
}
</style>
