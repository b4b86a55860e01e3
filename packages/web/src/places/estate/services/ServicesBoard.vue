<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { refDebounced, useIntervalFn } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { ServicesPage } from '#contract'
import { countText, minute, numberText } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { api } from '../../../parts/data/api'
import { partQuery, useParts } from '../../../parts/data/parts'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import EstateParts from '../EstateParts.vue'
import ServiceAcross from './ServiceAcross.vue'

/** Services by their names over all devices; one of them side by side. */
const session = useSession()
const route = useRoute()
const name = computed(() => (typeof route.query.service === 'string' ? route.query.service : ''))
const order = useAddressed('order', 'needs')
const wrong = useAddressed('wrong')
const words = ref('')
const asked = refDebounced(words, 250)
const clientId = computed(() => session.clientId)
const { data, error, refresh, more } = useParts<ServicesPage>(
  (after) => {
    const query = partQuery(clientId.value, after)
    query.set('order', order.value)
    if (wrong.value) query.set('wrong', 'true')
    if (asked.value.trim()) query.set('words', asked.value.trim())
    return api.get(`/services?${query}`)
  },
  (before, after) => ({ ...after, services: [...before.services, ...after.services] }),
  { sources: [clientId, order, wrong, asked] },
)
// All services of all devices are too much to count again for each alert.
useIntervalFn(() => void refresh(), minute)
const columns = [
  { key: 'name', title: 'Service' },
  { key: 'wrong', title: 'not as it should be', align: 'right', width: 170 },
  { key: 'devices', title: 'devices', align: 'right', width: 110 },
  { key: 'running', title: 'running', align: 'right', width: 110 },
  { key: 'stopped', title: 'stopped', align: 'right', width: 110 },
  { key: 'failed', title: 'failed', align: 'right', width: 110 },
] as const
const linkTo = (service: string) => ({ path: '/estate/services', query: { ...route.query, service } })
const emptyText = computed(() => {
  if (!data.value || data.value.services.length) return ''
  if (!data.value.devices) return 'No device has told its services yet.'
  const named = asked.value.trim() ? ` with “${asked.value.trim()}”` : ''
  return wrong.value ? `No service${named} is found not to be as it should by any watch.` : `There is no service${named}.`
})
</script>

<template>
  <div class="page">
    <ServiceAcross v-if="name" :key="name" :name="name" />
    <template v-else>
      <div class="head">
        <h1>Estate</h1>
        <span v-if="data" class="muted">{{ countText(data.total, 'service') }} on {{ countText(data.devices, 'device') }}</span>
      </div>
      <EstateParts />
      <div class="sentence">
        <span>Services of <b>{{ session.client?.name ?? 'every client' }}</b>,</span>
        <ChoiceField v-model="order" label="Order">
          <option value="needs">what needs a person first</option>
          <option value="devices">on most devices first</option>
          <option value="name">by name</option>
        </ChoiceField>
        <ElCheckbox :model-value="wrong !== ''" @update:model-value="wrong = $event ? '1' : ''">only those not as they should be</ElCheckbox>
        <ElInput v-model="words" aria-label="Narrow by words" placeholder="narrow by words" clearable class="narrow" />
      </div>
      <StateNotice :error="error" :loading="!data" :empty="emptyText" @again="refresh" />
      <ShortTable v-if="data?.services.length" label="Services by name" :rows="data.services" :columns="columns" row-key="name">
        <template #name="{ row }"><RouterLink v-if="row.name" class="mono" :to="linkTo(row.name)">{{ row.name }}</RouterLink> <span v-if="row.title !== row.name" class="muted">{{ row.title }}</span></template>
        <template #wrong="{ row }"><span v-if="row.wrong" class="critical">{{ numberText(row.wrong) }}</span><span v-if="row.held" class="held"> {{ numberText(row.held) }} held</span></template>
        <template #devices="{ row }">{{ row.name ? numberText(row.devices) : '' }}</template>
        <template #running="{ row }">{{ row.running ? numberText(row.running) : '' }}</template>
        <template #stopped="{ row }"><span class="muted">{{ row.stopped ? numberText(row.stopped) : '' }}</span></template>
        <template #failed="{ row }">{{ row.failed ? numberText(row.failed) : '' }}</template>
      </ShortTable>
      <p v-if="data?.next" class="muted note">The first {{ data.services.length }} of {{ data.total }}. <button class="link" @click="more">Show more</button></p>
    </template>
  </div>
</template>

<style scoped src="../asked.css"></style>
