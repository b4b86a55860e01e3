<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { countText } from '#core'
import type { GridCell, PolicyGrid } from '#contract'
import type { Resource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
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
</script>

<template>
  <StateNotice
    :error="grid.error.value"
    :loading="!data"
    :empty="data && !data.templates.length ? 'There is no template yet. Take one from the Library to begin with.' : ''"
    @again="grid.refresh"
  />
  <template v-if="data?.templates.length">
    <div class="wide">
      <table class="board grid">
        <thead>
          <tr>
            <th>Role</th>
            <th class="num">Devices</th>
            <th v-for="template in data.templates" :key="template.id">
              <RouterLink :to="`/policy/${template.id}`" :title="template.description">{{ template.name }}</RouterLink>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="role in data.roles" :key="role.id">
            <td :class="{ muted: role.id === '' }">{{ role.name }}</td>
            <td class="num muted">{{ role.devices }}</td>
            <td v-for="template in data.templates" :key="template.id">
              <button
                class="cell"
                :class="{ own: cell(role.id, template.id)?.assigned }"
                :aria-label="labelOf(role, template)"
                @click="pick(role.id, template.id)"
              >
                <template v-if="cell(role.id, template.id)"><b>{{ cell(role.id, template.id)!.devices }}</b></template>
                <span v-else class="none">·</span>
              </button>
              <RouterLink
                v-if="cell(role.id, template.id)?.exceptions"
                class="muted"
                :to="`/policy/${template.id}?tab=exceptions`"
              >{{ countText(cell(role.id, template.id)!.exceptions, 'exception') }}</RouterLink>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p class="muted legend"><span class="cell own">underlined</span> assigned to the role itself; the others come
      through kind, client or another target. A point: nobody of the role gets it.</p>
  </template>
</template>

<style scoped>
.grid td {
  white-space: nowrap;
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
.wide {
  overflow-x: auto;
}
.grid {
  width: auto;
}
.grid th,
.grid td {
  padding-right: 26px;
}
.grid th:first-child,
.grid td:first-child {
  position: sticky;
  left: 0;
  background: var(--ground);
}
</style>
