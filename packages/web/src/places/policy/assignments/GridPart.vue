<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { countText } from '#core'
import type { GridCell, PolicyGrid } from '#contract'
import type { Resource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'

/** Roles × templates: how many devices, how many exceptions; from a cell into the template, or to a new assignment. */
const props = defineProps<{ grid: Resource<PolicyGrid> }>()
const emit = defineEmits<{ assign: [what: { templateId: number; role: string }] }>()
const session = useSession()
const router = useRouter()
const data = computed(() => props.grid.data.value)
const cells = computed(
  () => new Map((data.value?.cells ?? []).map((cell) => [`${cell.role}|${cell.templateId}`, cell])),
)
const cell = (role: string, templateId: number): GridCell | undefined => cells.value.get(`${role}|${templateId}`)
function pick(role: string, templateId: number): void {
  if (cell(role, templateId) || !session.isLead || role === '') void router.push(`/policy/${templateId}?tab=where`)
  else emit('assign', { templateId, role })
}
const labelOf = (role: { id: string; name: string }, template: { id: number; name: string }) =>
  `${template.name} on ${role.name}: ${cell(role.id, template.id)?.devices ?? 'not assigned'}`
const columns = computed(() => [
  { key: 'role', title: 'Role', width: 190 },
  { key: 'devices', title: 'Devices', width: 76, align: 'right' as const },
  ...(data.value?.templates ?? []).map((template) => ({ key: String(template.id), title: template.name, hint: template.description, width: 132 })),
])
const templateOf = (column: string) => data.value!.templates.find((template) => String(template.id) === column)!
</script>

<template>
  <StateNotice
    :error="grid.error.value"
    :loading="!data"
    :empty="data && !data.templates.length ? 'There is no template yet. Take one from the Library to begin with.' : ''"
    @again="grid.refresh"
  />
  <template v-if="data?.templates.length">
    <ShortTable class="grid" label="Roles and templates" :rows="data.roles" :columns="columns" row-key="id" wide>
      <template #head="{ column }">
        <RouterLink v-if="Number(column)" :to="`/policy/${column}`" :title="templateOf(column).description">{{ templateOf(column).name }}</RouterLink>
      </template>
      <template #role="{ row: role }"><span :class="{ muted: role.id === '' }">{{ role.name }}</span></template>
      <template #devices="{ row: role }"><span class="muted">{{ role.devices }}</span></template>
      <template #cell="{ row: role, column }">
        <button
          class="cell"
          :class="{ own: cell(role.id, Number(column))?.assigned }"
          :aria-label="labelOf(role, templateOf(column))"
          @click="pick(role.id, Number(column))"
        >
          <b v-if="cell(role.id, Number(column))">{{ cell(role.id, Number(column))!.devices }}</b>
          <span v-else class="none">·</span>
        </button>
        <RouterLink
          v-if="cell(role.id, Number(column))?.exceptions"
          class="muted"
          :to="`/policy/${column}?tab=exceptions`"
        >{{ countText(cell(role.id, Number(column))!.exceptions, 'exception') }}</RouterLink>
      </template>
    </ShortTable>
    <p class="muted legend"><span class="cell own">underlined</span> assigned to the role itself; the others come
      through kind, client or another target. A point: nobody of the role gets it. An exception counts in every cell that
      it reaches devices of.</p>
  </template>
</template>

<style scoped>
.grid {
  margin-top: 6px;
}
.cell {
  border: 0;
  background: none;
  padding: 2px 0;
  cursor: pointer;
  min-width: 40px;
  text-align: left;
  white-space: nowrap;
}
.own {
  border-bottom: 1.5px solid var(--act);
}
.none {
  color: var(--ink3);
}
.cell:hover .none {
  color: var(--act);
}
.legend {
  padding: 8px 0 18px;
}
.legend .cell {
  padding: 0;
  cursor: default;
}
</style>
