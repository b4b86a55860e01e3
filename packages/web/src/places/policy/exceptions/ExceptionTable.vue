<script setup lang="ts">
import { ref } from 'vue'
import type { ExceptionView } from '#contract'
import { valuesText, type PolicyStep } from '#core'
import { useSession } from '../../../parts/data/session'
import { dayText, exactText } from '../../../parts/format/time'
import ChangeDialog from '../impact/ChangeDialog.vue'
import ExceptionDialog from './ExceptionDialog.vue'
import PullUp from './PullUp.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import type { ShortColumn } from '../../../parts/ui/table'

/** Exceptions as they stand, with what speaks against each. */
defineProps<{ exceptions: ExceptionView[] }>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const editing = ref<ExceptionView | null>(null)
const pulling = ref<ExceptionView | null>(null)
const mayTouch = (exception: ExceptionView) => session.isLead || (session.mayChange && exception.target.on === 'devices')
const taking = ref<ExceptionView | null>(null)
const back = (exception: ExceptionView): PolicyStep[] => [{ of: 'exception', id: exception.id, basedOn: exception.revision, to: null }]
function taken(happened: boolean): void {
  taking.value = null
  if (happened) emit('changed')
}
const columns: ShortColumn<ExceptionView>[] = [
  { key: 'for', title: 'For', sortBy: (exception) => exception.targetText },
  { key: 'devices', title: 'Devices', align: 'right', sortBy: (exception) => -exception.deviceCount },
  { key: 'watch', title: 'Watch', sortBy: (exception) => exception.watchName },
  { key: 'what', title: 'What' },
  { key: 'why', title: 'Why' },
  { key: 'owner', title: 'Answers for it', sortBy: (exception) => exception.ownerName || exception.createdBy },
  { key: 'review', title: 'Review on', sortBy: (exception) => exception.reviewAt ?? Infinity },
  { key: 'acts', align: 'right', tight: true },
]
</script>

<template>
  <ShortTable label="Exceptions" :rows="exceptions" :columns="columns" row-key="id" sort-name="sort">
    <template #for="{ row: exception }">{{ exception.targetText }}</template>
    <template #devices="{ row: exception }">{{ exception.deviceCount }}</template>
    <template #watch="{ row: exception }"><span :title="exception.watch"><RouterLink v-if="exception.templates[0]" :to="`/policy/${exception.templates[0].id}`">{{ exception.watchName }}</RouterLink>
            <span v-else class="muted">{{ exception.watch }}</span></span></template>
    <template #what="{ row: exception }">{{ exception.leftOut ? 'left out' : valuesText(exception.kind, exception.values) }}</template>
    <template #why="{ row: exception }"><span class="muted" :title="`${exception.createdBy}, ${exactText(exception.createdAt)}`">{{ exception.reason }}</span></template>
    <template #owner="{ row: exception }"><span class="muted">{{ exception.ownerName || exception.createdBy }}</span></template>
    <template #review="{ row: exception }"><span v-if="exception.reviewAt !== null" class="muted day">{{ dayText(exception.reviewAt) }}</span>
            <span v-for="doubt in exception.doubts" :key="doubt" class="warning doubt">{{ doubt }}</span></template>
    <template #acts="{ row: exception }"><template v-if="mayTouch(exception)"><button class="link" @click="editing = exception">change</button> <button v-if="session.isLead && exception.templates.length" class="link" @click="pulling = exception">to its template</button> <button class="link" @click="taking = exception">remove</button></template></template>
  </ShortTable>
  <ExceptionDialog v-if="editing" :watches="[]" :exception="editing" @close="editing = null; emit('changed')" />
  <ChangeDialog
    v-if="taking"
    :title="`Remove the exception for ${taking.targetText}`"
    :steps="back(taking)"
    verb="Remove it, for"
    said="The exception is gone; the devices follow the template again."
    @close="taken"
  />
  <PullUp v-if="pulling" :exception="pulling" @close="pulling = null; emit('changed')" />
</template>

<style scoped>
.day {
  white-space: nowrap;
}
.doubt {
  display: block;
}
</style>
