<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { countText } from '#core'
import type { GridCell, PolicyGrid } from '#contract'
import { api } from '../../parts/api'
import { useKeys } from '../../parts/keys'
import { useResource } from '../../parts/resource'
import { useSession } from '../../parts/session'
import StateNotice from '../../parts/StateNotice.vue'
import { shortText } from '../../parts/time'
import AssignDialog from './AssignDialog.vue'

const session = useSession()
const router = useRouter()
const { data, error, refresh } = useResource(() => api.get<PolicyGrid>('/policy/grid'), { topics: ['policy', 'estate'] })
const cells = computed(() => new Map((data.value?.cells ?? []).map((cell) => [`${cell.role}|${cell.templateId}`, cell])))
const cell = (role: string, templateId: number): GridCell | undefined => cells.value.get(`${role}|${templateId}`)
const assigning = ref<{ templateId: number; role?: string } | null>(null)
function pick(role: string, templateId: number): void {
  if (cell(role, templateId) || !session.isLead) void router.push(`/policy/${templateId}`)
  else assigning.value = { templateId, role }
}
useKeys('Policy', [{ key: 'a', does: 'assign a template', run: () => { if (session.isLead && data.value?.templates[0]) assigning.value = { templateId: data.value.templates[0].id } } }])
</script>

<template>
  <div class="page">
    <div class="head"><h1>Policy</h1><span class="muted">which role gets which template, on how many devices</span>
      <span class="end"><button v-if="session.isLead && data?.templates.length" class="btn main" @click="assigning = { templateId: data.templates[0]!.id }">Assign a template <kbd>a</kbd></button></span></div>
    <StateNotice :error="error" :loading="!data" :empty="data && !data.templates.length ? 'There is no template yet.' : ''" @again="refresh" />
    <template v-if="data?.templates.length">
      <table class="board grid">
        <thead><tr><th>Role</th><th class="num">Devices</th><th v-for="template in data.templates" :key="template.id"><RouterLink :to="`/policy/${template.id}`">{{ template.name }}</RouterLink></th></tr></thead>
        <tbody><tr v-for="role in data.roles" :key="role.id"><td>{{ role.name }}</td><td class="num muted">{{ role.devices }}</td>
          <td v-for="template in data.templates" :key="template.id"><button class="cell" :class="{ own: cell(role.id, template.id)?.assigned }" @click="pick(role.id, template.id)">
            <template v-if="cell(role.id, template.id)"><b>{{ cell(role.id, template.id)!.devices }}</b><span v-if="cell(role.id, template.id)!.exceptions" class="muted">, {{ countText(cell(role.id, template.id)!.exceptions, 'exception') }}</span></template><span v-else class="none" aria-label="not assigned">·</span>
          </button></td></tr></tbody>
      </table>
      <p class="muted legend"><span class="cell own">underlined</span> assigned to the role itself; the others come through kind, client or another target.</p>
      <h2>Templates</h2>
      <table class="board"><thead><tr><th>Template</th><th>What for</th><th class="num">Watches</th><th class="num">Devices</th><th class="num">Exceptions</th><th>Revision</th></tr></thead>
        <tbody><tr v-for="template in data.templates" :key="template.id"><td><RouterLink :to="`/policy/${template.id}`">{{ template.name }}</RouterLink></td><td class="muted">{{ template.description }}</td><td class="num">{{ template.watchCount }}</td><td class="num">{{ template.deviceCount }}</td><td class="num">{{ template.exceptionCount || '' }}</td><td class="muted">{{ template.revision }}, {{ shortText(template.savedAt) }} by {{ template.savedBy }}</td></tr></tbody></table>
    </template>
    <AssignDialog v-if="assigning && data" :templates="data.templates" :template-id="assigning.templateId" :role="assigning.role" @close="assigning = null" />
  </div>
</template>

<style scoped>
.cell { border: 0; background: none; padding: 2px 0; cursor: pointer; min-width: 40px; text-align: left; } .own { border-bottom: 1.5px solid var(--act); } .none { color: var(--ink3); }
.cell:hover .none { color: var(--act); } .legend { padding: 8px 0 18px; } .legend .cell { padding: 0; cursor: default; }
.grid { width: auto; } .grid th, .grid td { padding-right: 26px; }
</style>
