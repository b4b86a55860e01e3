<script setup lang="ts">
import { ref } from 'vue'
import type { TemplatePage, TemplateRevision } from '#contract'
import { useSession } from '../../../parts/data/session'
import { exactText, fullText } from '../../../parts/format/time'
import AssignmentTable from '../assignments/AssignmentTable.vue'
import ExceptionTable from '../exceptions/ExceptionTable.vue'

defineProps<{ page: TemplatePage; tab: string }>()
const emit = defineEmits<{ changed: []; back: [revision: TemplateRevision] }>()
const session = useSession()
const open = ref<number | null>(null)
</script>

<template>
  <template v-if="tab === 'Where it applies'">
    <AssignmentTable
      v-if="page.assignments.length"
      :assignments="page.assignments"
      :templates="[page]"
      @changed="emit('changed')"
    />
    <p v-else class="muted pad">It is assigned to nothing, so no device gets it<template v-if="page.includedBy.length"> but through
        {{ page.includedBy.map((template) => template.name).join(', ') }}</template>.</p>
  </template>
  <template v-else-if="tab === 'Exceptions'">
    <ExceptionTable v-if="page.exceptions.length" :exceptions="page.exceptions" @changed="emit('changed')" />
    <p v-else class="muted pad">No exception stands on its watches.</p>
  </template>
  <table v-else class="board">
    <thead>
      <tr><th class="num">Revision</th><th>When</th><th>By</th><th>Why</th><th>What changed</th><th></th></tr>
    </thead>
    <tbody>
      <tr v-for="(revision, i) in page.revisions" :key="revision.revision">
        <td class="num">{{ revision.revision }}</td>
        <td :title="exactText(revision.savedAt)">{{ fullText(revision.savedAt) }}</td>
        <td>{{ revision.savedBy }}</td>
        <td class="muted">{{ revision.note }}</td>
        <td>
          <template v-if="revision.changes.length">
            <span v-for="(text, n) in revision.changes.slice(0, open === i ? 99 : 3)" :key="n" class="line">{{ text }}</span>
            <button v-if="revision.changes.length > 3 && open !== i" class="link" @click="open = i">and
              {{ revision.changes.length - 3 }} more</button>
          </template>
          <span v-else class="muted">{{ i === page.revisions.length - 1 ? `made, with ${revision.body.watches.map((watch) => watch.name).join(', ') || 'no watches'}` : 'nothing of what it watches' }}</span>
        </td>
        <td class="num">
          <button v-if="session.isLead && i > 0" class="link" @click="emit('back', revision)">restore it</button>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.pad {
  padding: 14px 0;
}
.line {
  display: block;
}
td {
  vertical-align: top;
}
</style>
