<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { PolicyListing, Role } from '#contract'
import { countText, watchKinds } from '#core'
import { api } from '../../../parts/data/api'
import { attempt } from '../../../parts/ui/notify'
import { useResource, type Resource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { exactText, shortText } from '../../../parts/format/time'

/** All templates, found by words, role, kind of watch or who made them. */
const props = defineProps<{ listing: Resource<PolicyListing> }>()
const session = useSession()
const router = useRouter()
const roles = useResource(() => api.get<Role[]>('/roles'))
const words = ref('')
const role = ref('')
const kind = ref('')
const owner = ref('')
const chosen = ref<number[]>([])
const templates = computed(() => props.listing.data.value?.templates ?? [])
const owners = computed(() => [...new Set(templates.value.map((one) => one.owner))].filter(Boolean).sort())
const found = computed(() =>
  templates.value.filter((one) => {
    const text = one.text.toLowerCase()
    return (
      words.value
        .toLowerCase()
        .split(/\s+/)
        .every((word) => text.includes(word)) &&
      (!role.value || one.roles.includes(role.value)) &&
      (!kind.value || one.kinds.includes(kind.value)) &&
      (!owner.value || one.owner === owner.value)
    )
  }),
)
async function make(): Promise<void> {
  const names = templates.value.map((one) => one.name)
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
</script>

<template>
  <p class="find"><input v-model="words" type="search" placeholder="words in a name, description or watch" aria-label="Find templates" />
    <select v-model="role" aria-label="Role"><option value="">any role</option><option v-for="one in roles.data.value" :key="one.id" :value="one.id">{{ one.name }}</option></select>
    <select v-model="kind" aria-label="Watch kind"><option value="">any watch</option><option v-for="one in watchKinds.values()" :key="one.name" :value="one.name">{{ one.title }}</option></select>
    <select v-model="owner" aria-label="Made by"><option value="">anybody’s</option><option v-for="one in owners" :key="one">{{ one }}</option></select>
    <span class="muted">{{ countText(found.length, 'template') }}</span>
    <span class="end"><RouterLink v-if="chosen.length === 2" class="btn" :to="`/policy/compare?a=${chosen[0]}&b=${chosen[1]}`">Compare the two</RouterLink><span v-else-if="chosen.length" class="faint">choose one more to compare</span>
      <button v-if="session.isLead" class="btn" @click="make">Make a template</button></span></p>
  <StateNotice :error="listing.error.value" :loading="!listing.data.value" :empty="listing.data.value && !found.length ? (templates.length ? 'No template is like that. Take a condition away.' : 'There is no template yet. Take one from the Library to begin with.') : ''" @again="listing.refresh" />
  <table v-if="found.length" class="board"><thead><tr><th><span class="visually-hidden">Compare</span></th><th>Template</th><th>What for</th><th class="num">Watches</th><th class="num">Devices</th><th class="num">Exceptions</th><th>Revision</th><th>Made by</th></tr></thead>
    <tbody><tr v-for="one in found" :key="one.id"><td><input v-model="chosen" type="checkbox" :value="one.id" :disabled="chosen.length === 2 && !chosen.includes(one.id)" :aria-label="`Compare ${one.name}`" /></td><td><RouterLink :to="`/policy/${one.id}`">{{ one.name }}</RouterLink></td><td class="muted">{{ one.description }}</td><td class="num">{{ one.watchCount }}</td><td class="num">{{ one.deviceCount }}</td><td class="num">{{ one.exceptionCount || '' }}</td><td class="muted" :title="exactText(one.savedAt)">{{ one.revision }}, {{ shortText(one.savedAt) }} by {{ one.savedBy }}</td><td class="muted">{{ one.owner }}</td></tr></tbody></table>
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
.find input,
.find select {
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 3px 8px;
}
.find input {
  width: 280px;
}
</style>
