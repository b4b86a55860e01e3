<script setup lang="ts">
import { ref } from 'vue'
import type { ExceptionView } from '#contract'
import { valuesText, type PolicyStep } from '#core'
import { useSession } from '../../../parts/data/session'
import { dayText, exactText } from '../../../parts/format/time'
import ConfirmChange from '../impact/ConfirmChange.vue'
import ExceptionDialog from './ExceptionDialog.vue'
import PullUp from './PullUp.vue'

/** Exceptions as they stand, with what speaks against each. */
defineProps<{ exceptions: ExceptionView[] }>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const editing = ref<ExceptionView | null>(null)
const pulling = ref<ExceptionView | null>(null)
const mayTouch = (one: ExceptionView) => session.isLead || (session.mayChange && one.target.on === 'devices')
const taking = ref<ExceptionView | null>(null)
const back = (one: ExceptionView): PolicyStep[] => [{ of: 'exception', id: one.id, basedOn: one.revision, to: null }]
function taken(happened: boolean): void {
  taking.value = null
  if (happened) emit('changed')
}
</script>

<template>
  <table class="board"><thead><tr><th>For</th><th class="num">Devices</th><th>Watch</th><th>What</th><th>Why</th><th>Answers for it</th><th>Look again</th><th></th></tr></thead>
    <tbody><tr v-for="one in exceptions" :key="one.id"><td>{{ one.targetText }}</td><td class="num">{{ one.deviceCount }}</td><td :title="one.watch"><RouterLink v-if="one.templates[0]" :to="`/policy/${one.templates[0].id}`">{{ one.watchName }}</RouterLink><span v-else class="muted">{{ one.watch }}</span></td><td>{{ one.leftOut ? 'left out' : valuesText(one.kind, one.values) }}</td><td class="muted" :title="`${one.createdBy}, ${exactText(one.createdAt)}`">{{ one.reason }}</td><td class="muted">{{ one.ownerName || one.createdBy }}</td>
      <td><span v-if="one.reviewAt !== null" class="muted">{{ dayText(one.reviewAt) }}</span><span v-for="doubt in one.doubts" :key="doubt" class="warning doubt">{{ doubt }}</span></td>
      <td class="num acts"><template v-if="mayTouch(one)"><button class="link" @click="editing = one">change</button> <button v-if="session.isLead && one.templates.length" class="link" @click="pulling = one">pull up</button> <button class="link" @click="taking = one">take back</button></template></td></tr></tbody></table>
  <ExceptionDialog v-if="editing" :watches="[]" :exception="editing" @close="editing = null; emit('changed')" />
  <ConfirmChange v-if="taking" :title="`Take the exception for ${taking.targetText} back`" :steps="back(taking)" verb="Take it back" said="The exception is gone; the devices follow the template again." @close="taken" />
  <PullUp v-if="pulling" :exception="pulling" @close="pulling = null; emit('changed')" />
</template>

<style scoped>
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
