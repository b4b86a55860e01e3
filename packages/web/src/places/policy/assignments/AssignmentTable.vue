<script setup lang="ts">
import { ref } from 'vue'
import type { AssignmentView, TemplatePage, TemplateSummary } from '#contract'
import { valuesText, type AssignmentBody, type PolicyStep } from '#core'
import { useSession } from '../../../parts/data/session'
import { dayText, exactText } from '../../../parts/format/time'
import AssignDialog from './AssignDialog.vue'
import ConfirmChange from '../impact/ConfirmChange.vue'

/** Assignments as they stand; switched off and on, changed and taken away where one may. */
const props = defineProps<{
  assignments: AssignmentView[]
  templates: (TemplatePage | TemplateSummary)[]
  named?: boolean
}>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const editing = ref<AssignmentView | null>(null)
const kindOf = (one: AssignmentView, key: string) => {
  const template = props.templates.find((each) => each.id === one.templateId)
  return template && 'watches' in template ? template.watches.find((watch) => watch.key === key)?.kind : undefined
}
const ownText = (one: AssignmentView) =>
  Object.entries(one.values)
    .map(([key, values]) => {
      const kind = kindOf(one, key)
      return `${key}: ${kind ? valuesText(kind, values) : Object.keys(values).join(', ')}`
    })
    .join('; ')
/** What is asked about before it is done. */
const asking = ref<{ title: string; steps: PolicyStep[]; verb: string; said: string } | null>(null)
function turn(one: AssignmentView): void {
  const to: AssignmentBody = {
    templateId: one.templateId,
    target: one.target,
    rank: one.rank,
    values: one.values,
    dormant: !one.dormant,
    reason: one.reason,
    reviewAt: one.reviewAt,
  }
  asking.value = {
    title: `${one.dormant ? 'Resume' : 'Pause'}: ${one.templateName} for ${one.targetText}`,
    steps: [{ of: 'assignment', id: one.id, basedOn: one.revision, to }],
    verb: one.dormant ? 'Resume' : 'Pause',
    said: one.dormant ? 'Resumed.' : 'Paused: it stays listed, and nothing is evaluated by it.',
  }
}
function remove(one: AssignmentView): void {
  asking.value = {
    title: `Remove ${one.templateName} from ${one.targetText}`,
    steps: [{ of: 'assignment', id: one.id, basedOn: one.revision, to: null }],
    verb: 'Remove',
    said: 'Removed.',
  }
}
function asked(happened: boolean): void {
  asking.value = null
  if (happened) emit('changed')
}
</script>

<template>
  <table class="board"><thead><tr><th v-if="named">Template</th><th>Target</th><th class="num">Devices</th><th class="num" title="Among equally specific targets the lower number wins">Rank</th><th>Own values</th><th>Why</th><th>Look again</th><th>By</th><th></th></tr></thead>
    <tbody><tr v-for="one in assignments" :key="one.id"><td v-if="named"><RouterLink :to="`/policy/${one.templateId}`">{{ one.templateName }}</RouterLink></td><td>{{ one.targetText }}<span v-if="one.dormant" class="muted"> (paused)</span><span class="faint"> {{ one.target.on === 'devices' ? 'by hand' : '' }}</span></td><td class="num">{{ one.deviceCount }}</td><td class="num">{{ one.rank }}</td><td class="muted">{{ ownText(one) }}</td><td class="muted">{{ one.reason }}</td>
      <td :class="one.reviewAt !== null && one.reviewAt <= Date.now() ? 'warning' : 'muted'">{{ one.reviewAt === null ? '' : dayText(one.reviewAt) }}</td><td class="muted by" :title="exactText(one.createdAt)">{{ one.createdBy }}</td>
      <td class="num acts"><template v-if="session.isLead"><button class="link" @click="editing = one">change</button> <button class="link" @click="turn(one)">{{ one.dormant ? 'resume' : 'pause' }}</button> <button class="link" @click="remove(one)">remove</button></template></td></tr></tbody></table>
  <AssignDialog v-if="editing" :templates="[]" :template-id="editing.templateId" :assignment="editing" @close="editing = null; emit('changed')" />
  <ConfirmChange v-if="asking" v-bind="asking" @close="asked" />
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
