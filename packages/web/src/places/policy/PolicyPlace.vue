<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { PolicyGrid, PolicyListing } from '#contract'
import { api } from '../../parts/data/api'
import { useKeys } from '../../parts/shell/keys'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import AssignDialog from './assignments/AssignDialog.vue'
import AssignmentsPart from './assignments/AssignmentsPart.vue'
import ExceptionsPart from './exceptions/ExceptionsPart.vue'
import GridPart from './assignments/GridPart.vue'
import LibraryPart from './library/LibraryPart.vue'
import TemplatesPart from './templates/TemplatesPart.vue'
import TextPart from './text/TextPart.vue'
import SavedViews from '../../parts/ui/SavedViews.vue'
import { useClientInAddress } from '../../parts/data/clientInAddress'
import PartTabs from '../../parts/ui/PartTabs.vue'

const session = useSession()
const route = useRoute()
const router = useRouter()
useClientInAddress()
const parts = [
  { name: 'grid', title: 'Grid' },
  { name: 'templates', title: 'Templates' },
  { name: 'assignments', title: 'Assignments' },
  { name: 'exceptions', title: 'Exceptions' },
  { name: 'library', title: 'Library' },
  { name: 'text', title: 'As text' },
] as const
const part = computed(() => parts.find((tab) => tab.name === route.query.part)?.name ?? 'grid')
const go = (name: string) => void router.replace({ query: name === 'grid' ? {} : { part: name } })
const grid = useResource(() => api.get<PolicyGrid>('/policy/grid'), { topics: ['policy', 'estate'] })
const listing = useResource(() => api.get<PolicyListing>('/policy'), { topics: ['policy', 'estate'] })
const doubtful = computed(() => (listing.data.value?.exceptions ?? []).filter((exception) => exception.doubts.length).length)
const countOf = (name: string) =>
  ({
    templates: listing.data.value?.templates.length,
    assignments: listing.data.value?.assignments.length,
    exceptions: listing.data.value?.exceptions.length,
  })[name] ?? ''
const assigning = ref<{ templateId: number; role?: string } | null>(null)
const begin = () => {
  if (session.isLead && grid.data.value?.templates[0]) assigning.value = { templateId: grid.data.value.templates[0].id }
}
useKeys('Policy', [
  { key: 'a', does: 'assign a template', run: begin },
])
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Policy</h1>
      <span class="muted">who gets which watches, and why</span>
      <span class="end">
        <button v-if="doubtful && part !== 'exceptions'" class="link warning" @click="go('exceptions')">{{ doubtful === 1 ? '1 exception needs' : `${doubtful} exceptions need` }}
          review</button>
        <SavedViews place="policy" />
        <button v-if="session.isLead && grid.data.value?.templates.length" class="btn main" @click="begin">Assign a
          template <kbd>a</kbd></button>
      </span>
    </div>
    <PartTabs
      label="Parts of Policy"
      :model-value="part"
      :tabs="parts.map((tab) => ({ ...tab, count: countOf(tab.name) }))"
      @update:model-value="go"
    />
    <GridPart v-if="part === 'grid'" :grid="grid" @assign="(what) => { assigning = what }" />
    <TemplatesPart v-else-if="part === 'templates'" :listing="listing" />
    <AssignmentsPart v-else-if="part === 'assignments'" :listing="listing" />
    <ExceptionsPart v-else-if="part === 'exceptions'" :listing="listing" />
    <LibraryPart v-else-if="part === 'library'" :taken="listing.data.value?.templates ?? []" />
    <TextPart v-else />
    <AssignDialog
      v-if="assigning && grid.data.value"
      :templates="grid.data.value.templates"
      :template-id="assigning.templateId"
      :role="assigning.role"
      @close="assigning = null"
    />
  </div>
</template>
