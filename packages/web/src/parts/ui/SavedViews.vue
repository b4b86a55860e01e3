<script setup lang="ts">
import { ElDropdown, ElDropdownItem, ElDropdownMenu } from 'element-plus/es/components/dropdown/index'
import 'element-plus/es/components/dropdown/style/css'
import 'element-plus/es/components/dropdown-item/style/css'
import 'element-plus/es/components/dropdown-menu/style/css'
import { ElMessageBox } from 'element-plus/es/components/message-box/index'
import 'element-plus/es/components/message-box/style/css'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Made, SavedView, ViewPlace } from '#contract'
import { api } from '../data/api'
import { useResource } from '../data/resource'
import { useSession } from '../data/session'
import { attempt, done } from './notify'

/** Ways to look at a place, each kept under a name: what is narrowed, sorted and shown, and the client in view. */
const props = defineProps<{ place: ViewPlace }>()
const route = useRoute()
const router = useRouter()
const session = useSession()
const { data, refresh } = useResource(() => api.get<SavedView[]>(`/views?place=${props.place}`))
const query = computed(() => {
  const { client: _client, asOf: _asOf, ...others } = route.query
  const all = new URLSearchParams(others as Record<string, string>)
  if (session.clientId !== null) all.set('client', String(session.clientId))
  return all.toString()
})
const current = computed(() => data.value?.find((view) => view.query === query.value) ?? null)

async function save(): Promise<void> {
  const answer = await ElMessageBox.prompt('Its name; a view of that name is replaced.', 'Save this view', {
    confirmButtonText: 'Save',
    cancelButtonText: 'Cancel',
    inputPattern: /\S/,
    inputErrorMessage: 'Give it a name.',
    inputValue: current.value?.name ?? '',
  }).then(
    ({ value }) => value.trim().slice(0, 60),
    () => '',
  )
  if (!answer) return
  const body = { place: props.place, name: answer, query: query.value }
  if (await attempt(() => api.post<Made>('/views', body))) {
    done(`Saved as “${body.name}”.`)
    await refresh()
  }
}
async function choose(view: SavedView | 'save' | 'remove'): Promise<void> {
  if (view === 'save') return save()
  if (view === 'remove') {
    if (current.value && (await attempt(() => api.delete(`/views/${current.value!.id}`)))) await refresh()
    return
  }
  const found = new URLSearchParams(view.query)
  session.choose(found.has('client') ? Number(found.get('client')) : null)
  await router.replace({ query: Object.fromEntries(found) })
}
</script>

<template>
  <ElDropdown trigger="click" placement="bottom-end" @command="choose">
    <button class="link">{{ current?.name ?? 'views' }}</button>
    <template #dropdown>
      <ElDropdownMenu>
        <ElDropdownItem v-for="view in data ?? []" :key="view.id" :command="view">{{ view.name }}</ElDropdownItem>
        <ElDropdownItem :divided="(data?.length ?? 0) > 0" command="save">Save this view…</ElDropdownItem>
        <ElDropdownItem v-if="current" command="remove">Remove “{{ current.name }}”</ElDropdownItem>
      </ElDropdownMenu>
    </template>
  </ElDropdown>
</template>
