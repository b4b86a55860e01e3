<script setup lang="ts">
import { computed, ref } from 'vue'
import type { TemplatePage, TemplateRevision } from '#contract'
import { useSession } from '../../../parts/data/session'
import { exactText, fullText } from '../../../parts/format/time'
import AssignmentTable from '../assignments/AssignmentTable.vue'
import ExceptionTable from '../exceptions/ExceptionTable.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'

const props = defineProps<{ page: TemplatePage; tab: string }>()
const emit = defineEmits<{ changed: []; back: [revision: TemplateRevision] }>()
const session = useSession()
const open = ref<number | null>(null)
/** Newest first; each but the newest can be restored. */
const revisions = computed(() =>
  props.page.revisions.map((revision, i, all) => ({ ...revision, isNewest: i === 0, isFirst: i === all.length - 1 })),
)
const firstWords = (revision: TemplateRevision) =>
  `made, with ${revision.body.watches.map((watch) => watch.name).join(', ') || 'no watches'}`
const columns = [
  { key: 'revision', title: 'Revision', width: 76 },
  { key: 'at', title: 'When', tight: true },
  { key: 'by', title: 'By' },
  { key: 'why', title: 'Why' },
  { key: 'changes', title: 'What changed' },
  { key: 'acts', align: 'right', tight: true },
] as const
</script>

<template>
  <template v-if="tab === 'Where it applies'">
    <AssignmentTable
      v-if="page.assignments.length"
      :assignments="page.assignments"
      @changed="emit('changed')"
    />
    <p v-else class="muted pad">It is assigned to nothing, so no device gets it<template v-if="page.includedBy.length"> but through
        {{ page.includedBy.map((template) => template.name).join(', ') }}</template>.</p>
  </template>
  <template v-else-if="tab === 'Exceptions'">
    <ExceptionTable v-if="page.exceptions.length" :exceptions="page.exceptions" @changed="emit('changed')" />
    <p v-else class="muted pad">No exception stands on its watches.</p>
  </template>
  <ShortTable v-else label="Revisions" :rows="revisions" :columns="columns" row-key="revision">
    <template #revision="{ row: revision }">{{ revision.revision }}</template>
    <template #at="{ row: revision }"><span :title="exactText(revision.savedAt)">{{ fullText(revision.savedAt) }}</span></template>
    <template #by="{ row: revision }">{{ revision.savedBy }}</template>
    <template #why="{ row: revision }"><span class="muted">{{ revision.note }}</span></template>
    <template #changes="{ row: revision }">
      <template v-if="revision.changes.length">
        <span v-for="(text, n) in revision.changes.slice(0, open === revision.revision ? undefined : 3)" :key="n" class="line">{{ text }}</span>
        <button v-if="revision.changes.length > 3 && open !== revision.revision" class="link" @click="open = revision.revision">and
          {{ revision.changes.length - 3 }} more</button>
      </template>
      <span v-else class="muted">{{ revision.isFirst ? firstWords(revision) : 'nothing of what it watches' }}</span>
    </template>
    <template #acts="{ row: revision }">
      <button v-if="session.isLead && !revision.isNewest" class="link" @click="emit('back', revision)">restore it</button>
    </template>
  </ShortTable>
</template>

<style scoped>
.pad {
  padding: 14px 0;
}
.line {
  display: block;
}
</style>
