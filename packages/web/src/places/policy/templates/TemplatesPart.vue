<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { ListedTemplate, PolicyListing, Role } from '#contract'
import { countText, watchKinds } from '#core'
import { api } from '../../../parts/data/api'
import { attempt } from '../../../parts/ui/notify'
import { useResource, type Resource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { useAddressed } from '../../../parts/data/addressed'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { exactText, shortText } from '../../../parts/format/time'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import type { ShortColumn } from '../../../parts/ui/table'

/** All templates, found by words, role, kind of watch or who made them. */
const props = defineProps<{ listing: Resource<PolicyListing> }>()
const session = useSession()
const router = useRouter()
const roles = useResource(() => api.get<Role[]>('/roles'))
const words = useAddressed('words')
const role = useAddressed('role')
const kind = useAddressed('kind')
const owner = useAddressed('owner')
const chosen = ref<number[]>([])
const templates = computed(() => props.listing.data.value?.templates ?? [])
const owners = computed(() => [...new Set(templates.value.map((template) => template.owner))].filter(Boolean).sort())
const found = computed(() =>
  templates.value.filter((template) => {
    const text = template.text.toLowerCase()
    return (
      words.value
        .toLowerCase()
        .split(/\s+/)
        .every((word) => text.includes(word)) &&
      (!role.value || template.roles.includes(role.value)) &&
      (!kind.value || template.kinds.includes(kind.value)) &&
      (!owner.value || template.owner === owner.value)
    )
  }),
)
async function make(): Promise<void> {
  const names = templates.value.map((template) => template.name)
  let n = 1
  while (names.includes(n === 1 ? 'New template' : `New template ${n}`)) n++
  const made = await attempt(() =>
    api.post<{ id: number }>('/templates', {
      name: n === 1 ? 'New template' : `New template ${n}`,
      description: '',
      includes: [],
      watches: [],
    }),
  )
  if (made) await router.push(`/policy/${made.id}`)
}
const columns: ShortColumn<ListedTemplate>[] = [
  { key: 'compare', hint: 'Compare', width: 30 },
  { key: 'template', title: 'Template', sortBy: (template) => template.name },
  { key: 'about', title: 'What for' },
  { key: 'watches', title: 'Watches', align: 'right', sortBy: (template) => -template.watchCount },
  { key: 'devices', title: 'Devices', align: 'right', sortBy: (template) => -template.deviceCount },
  { key: 'exceptions', title: 'Exceptions', align: 'right', sortBy: (template) => -template.exceptionCount },
  { key: 'revision', title: 'Revision', sortBy: (template) => -template.savedAt },
  { key: 'owner', title: 'Made by', sortBy: (template) => template.owner },
]
function choose(id: number, on: boolean): void {
  chosen.value = on ? [...chosen.value, id] : chosen.value.filter((other) => other !== id)
}
</script>

<template>
  <p class="find">
    <ElInput
      v-model="words"
     
      placeholder="words in a name, description or watch"
      aria-label="Find templates" />
    <ChoiceField v-model="role" label="Role">
      <option value="">any role</option>
      <option v-for="role in roles.data.value" :key="role.id" :value="role.id">{{ role.name }}</option>
    </ChoiceField>
    <ChoiceField v-model="kind" label="Watch kind">
      <option value="">any watch</option>
      <option v-for="kind in watchKinds.values()" :key="kind.name" :value="kind.name">{{ kind.title }}</option>
    </ChoiceField>
    <ChoiceField v-model="owner" label="Made by">
      <option value="">anybody’s</option>
      <option v-for="owner in owners" :key="owner">{{ owner }}</option>
    </ChoiceField>
    <span class="muted">{{ countText(found.length, 'template') }}</span>
    <span class="end">
      <RouterLink v-if="chosen.length === 2" class="btn" :to="`/policy/compare?a=${chosen[0]}&b=${chosen[1]}`">Compare
        the two</RouterLink>
      <span v-else-if="chosen.length" class="faint">choose one more to compare</span>
      <button v-if="session.isLead" class="btn" @click="make">Make a template</button>
    </span>
  </p>
  <StateNotice
    :error="listing.error.value"
    :loading="!listing.data.value"
    :empty="listing.data.value && !found.length ? (templates.length ? 'No template is like that. Take a condition away.' : 'There is no template yet. Take one from the Library to begin with.') : ''"
    @again="listing.refresh"
  />
  <ShortTable v-if="found.length" label="Templates" :rows="found" :columns="columns" row-key="id" sort-name="sort">
    <template #compare="{ row: template }"><ElCheckbox
          :model-value="chosen.includes(template.id)"
          :disabled="chosen.length === 2 && !chosen.includes(template.id)"
          @update:model-value="choose(template.id, Boolean($event))"><span class="visually-hidden">Compare {{ template.name }}</span></ElCheckbox></template>
    <template #template="{ row: template }"><RouterLink :to="`/policy/${template.id}`">{{ template.name }}</RouterLink></template>
    <template #about="{ row: template }"><span class="muted">{{ template.description }}</span></template>
    <template #watches="{ row: template }">{{ template.watchCount }}</template>
    <template #devices="{ row: template }">{{ template.deviceCount }}</template>
    <template #exceptions="{ row: template }">{{ template.exceptionCount || '' }}</template>
    <template #revision="{ row: template }"><span class="muted" :title="exactText(template.savedAt)">{{ template.revision }},
            {{ shortText(template.savedAt) }} by {{ template.savedBy }}</span></template>
    <template #owner="{ row: template }"><span class="muted">{{ template.owner }}</span></template>
  </ShortTable>
</template>

<style scoped>
.find {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 10px 0;
  flex-wrap: wrap;
}
.find .end {
  margin-left: auto;
  display: flex;
  gap: 10px;
  align-items: center;
}
</style>
