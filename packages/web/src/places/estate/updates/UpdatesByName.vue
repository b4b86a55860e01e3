<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { refDebounced, useIntervalFn } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { UpdatesPage } from '#contract'
import { countText, minute, numberText } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { api } from '../../../parts/data/api'
import { partQuery, useParts } from '../../../parts/data/parts'
import { useSession } from '../../../parts/data/session'
import AgeText from '../../../parts/ui/AgeText.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { kindText } from './words'

/** Updates by their names over all devices. */
const session = useSession()
const route = useRoute()
const clientId = computed(() => session.clientId)
const order = useAddressed('sort', 'devices')
const kind = useAddressed('kind')
const held = useAddressed('held')
const words = ref('')
const asked = refDebounced(words, 250)
const { data, error, refresh, more } = useParts<UpdatesPage>(
  (after) => {
    const query = partQuery(clientId.value, after)
    query.set('order', order.value)
    if (kind.value) query.set('security', 'true')
    if (held.value) query.set('held', 'true')
    if (asked.value.trim()) query.set('words', asked.value.trim())
    return api.get(`/updates?${query}`)
  },
  (before, after) => ({ ...after, updates: [...before.updates, ...after.updates] }),
  { sources: [clientId, order, kind, held, asked] },
)
useIntervalFn(() => void refresh(), minute)
const columns = [
  { key: 'name', title: 'Update', grow: 2 },
  { key: 'kind', title: 'Kind' },
  { key: 'to', title: 'To version', grow: 1 },
  { key: 'oldest', title: 'waiting for', align: 'right', width: 110 },
  { key: 'held', title: 'held back', align: 'right', width: 95 },
  { key: 'devices', title: 'devices', align: 'right', width: 95 },
] as const
const linkTo = (update: string) => ({ path: '/estate/updates', query: { ...route.query, update } })
const emptyText = computed(() => {
  if (!data.value || data.value.updates.length) return ''
  if (!data.value.devices) return 'No device has told its updates by name yet: agents do from version 0.11.0 on.'
  const narrowed = [kind.value ? 'for security' : '', held.value ? 'held back' : '', asked.value.trim() ? `with “${asked.value.trim()}”` : '']
  const text = narrowed.filter(Boolean).join(', ')
  return `No update waits${text ? ` ${text}` : ''}.`
})
</script>

<template>
  <div class="sentence">
    <slot name="view" />
    <ChoiceField v-model="order" label="Order">
      <option value="devices">on most devices first</option>
      <option value="oldest">longest waiting first</option>
      <option value="name">by name</option>
    </ChoiceField>
    <ElCheckbox :model-value="kind !== ''" @update:model-value="kind = $event ? 'security' : ''">only for security</ElCheckbox>
    <ElCheckbox :model-value="held !== ''" @update:model-value="held = $event ? '1' : ''">only held back</ElCheckbox>
    <ElInput v-model="words" aria-label="Narrow by words" placeholder="narrow by words" clearable class="narrow" />
  </div>
  <StateNotice :error="error" :loading="!data" :empty="emptyText" @again="refresh" />
  <ShortTable v-if="data?.updates.length" label="Updates by name" :rows="data.updates" :columns="columns" row-key="name">
    <template #name="{ row }"><RouterLink v-if="row.name" class="mono" :to="linkTo(row.name)">{{ row.name }}</RouterLink></template>
    <template #kind="{ row }"><span v-if="row.name" :class="{ muted: !row.security }">{{ kindText(row) }}</span></template>
    <template #to="{ row }"><span class="mono">{{ row.to ?? '' }}</span><span v-if="row.versions > 1" class="muted"> and {{ countText(row.versions - 1, 'other') }}</span></template>
    <template #oldest="{ row }"><AgeText v-if="row.oldestAt" :at="row.oldestAt" /></template>
    <template #held="{ row }">{{ row.held ? numberText(row.held) : '' }}</template>
    <template #devices="{ row }">{{ row.devices ? numberText(row.devices) : '' }}</template>
  </ShortTable>
  <p v-if="data" class="muted note"><template v-if="data.next">The first {{ numberText(data.updates.length) }} of {{ numberText(data.total) }}. <button class="link" @click="more">Show more</button> </template>{{ countText(data.total, 'update') }} by the word of {{ countText(data.devices, 'device') }}.</p>
</template>

<style scoped src="../asked.css"></style>
