<script setup lang="ts">
import { ref } from 'vue'
import type { ExceptionView } from '#contract'
import { valuesText, type PolicyStep } from '#core'
import { useSession } from '../../../parts/data/session'
import { dayText, exactText } from '../../../parts/format/time'
import ChangeDialog from '../impact/ChangeDialog.vue'
import ExceptionDialog from './ExceptionDialog.vue'
import PullUp from './PullUp.vue'

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
</script>

<template>
  <table class="board">
    <thead>
      <tr>
        <th>For</th>
        <th class="num">Devices</th>
        <th>Watch</th>
        <th>What</th>
        <th>Why</th>
        <th>Answers for it</th>
        <th>Review on</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="exception in exceptions" :key="exception.id">
        <td>{{ exception.targetText }}</td>
        <td class="num">{{ exception.deviceCount }}</td>
        <td :title="exception.watch">
          <RouterLink v-if="exception.templates[0]" :to="`/policy/${exception.templates[0].id}`">{{ exception.watchName }}</RouterLink>
          <span v-else class="muted">{{ exception.watch }}</span>
        </td>
        <td>{{ exception.leftOut ? 'left out' : valuesText(exception.kind, exception.values) }}</td>
        <td class="muted" :title="`${exception.createdBy}, ${exactText(exception.createdAt)}`">{{ exception.reason }}</td>
        <td class="muted">{{ exception.ownerName || exception.createdBy }}</td>
        <td>
          <span v-if="exception.reviewAt !== null" class="muted day">{{ dayText(exception.reviewAt) }}</span>
          <span v-for="doubt in exception.doubts" :key="doubt" class="warning doubt">{{ doubt }}</span>
        </td>
        <td class="num acts">
          <template v-if="mayTouch(exception)"><button class="link" @click="editing = exception">change</button> <button v-if="session.isLead && exception.templates.length" class="link" @click="pulling = exception">to its template</button> <button class="link" @click="taking = exception">remove</button></template>
        </td>
      </tr>
    </tbody>
  </table>
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
.acts {
  white-space: nowrap;
}
.acts .link {
  margin-left: 8px;
}
.doubt {
  display: block;
}
</style>
