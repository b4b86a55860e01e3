<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { computed } from 'vue'
import { behindAfterDays, farBehindAfterDays, updatesKnownForDays, type Backlog, type ClientUpdates, type UpdatesByClient } from '#contract'
import { countText, day, minute, numberText } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { api } from '../../../parts/data/api'
import { asOf } from '../../../parts/data/asOf'
import { partQuery, useParts } from '../../../parts/data/parts'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { now } from '../../../parts/format/time'
import AgeText from '../../../parts/ui/AgeText.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import BacklogBars from './BacklogBars.vue'
import BandBar from './BandBar.vue'

/** Who is behind with updates, by how much, and how that went. */
const session = useSession()
const clientId = computed(() => session.clientId)
const order = useAddressed('order', 'behind')
const span = useAddressed('days', '90')
const { data, error, refresh, more } = useParts<UpdatesByClient>(
  (after) => {
    const query = partQuery(clientId.value, after)
    query.set('order', order.value)
    return api.get(`/updates/clients?${query}`)
  },
  (before, after) => ({ ...after, clients: [...before.clients, ...after.clients] }),
  { sources: [clientId, order] },
)
const backlog = useResource(
  async () => ({
    until: asOf.value ?? now.value,
    asked: Number(span.value),
    ...(await api.get<Backlog>(`/updates/backlog?days=${span.value}${clientId.value === null ? '' : `&client=${clientId.value}`}`)),
  }),
  { sources: [clientId, span] },
)
useIntervalFn(() => void refresh(), minute)
const columns = [
  { key: 'client', title: 'Client', grow: 1 },
  { key: 'bands', title: 'Devices by their oldest', width: 170 },
  { key: 'behind', title: 'behind', align: 'right', width: 90 },
  { key: 'security', title: 'security', align: 'right', width: 90 },
  { key: 'oldest', title: 'oldest', align: 'right', width: 90 },
  { key: 'other', title: 'other', align: 'right', width: 80 },
  { key: 'held', title: 'held back', align: 'right', width: 95 },
  { key: 'around', title: 'And on devices', grow: 1 },
] as const
/** The devices of a client, those whose oldest update waits longest first. */
const linkTo = ({ clientId: client }: ClientUpdates) => ({ path: '/estate', query: { client: String(client), order: 'oldest' } })
function ageClass(at: number): string {
  const days = ((asOf.value ?? now.value) - at) / day
  if (days > farBehindAfterDays) return 'critical'
  return days > behindAfterDays ? 'warning' : ''
}
const aroundText = ({ unknown, restart, outdated, failing }: ClientUpdates) =>
  [
    unknown ? `${numberText(unknown)} not known` : '',
    restart ? `${countText(restart, 'restart')} pending` : '',
    outdated ? `${numberText(outdated)} with services on replaced files` : '',
    failing ? `${numberText(failing)} cannot fetch lists` : '',
  ]
    .filter(Boolean)
    .join(', ')
</script>

<template>
  <div class="sentence">
    <slot name="view" />
    <ChoiceField v-model="order" label="Order">
      <option value="behind">those furthest behind first</option>
      <option value="security">most security updates first</option>
      <option value="oldest">longest waiting first</option>
      <option value="name">by name</option>
    </ChoiceField>
  </div>
  <StateNotice :error="error" :loading="!data" :empty="data && !data.clients.length ? 'There are no servers and workstations here.' : ''" @again="refresh" />
  <ShortTable v-if="data?.clients.length" label="Clients by how far they are behind" :rows="data.clients" :columns="columns" :row-key="(row) => String(row.clientId)">
    <template #client="{ row }"><template v-if="row.clientId"><RouterLink :to="linkTo(row)" title="Its devices, the longest waiting first">{{ row.clientName }}</RouterLink> <span class="muted">{{ countText(row.devices, 'device') }}</span></template></template>
    <template #bands="{ row }"><BandBar v-if="row.clientId" :client="row" /></template>
    <template #behind="{ row }"><span v-if="row.behind || row.farBehind" :class="row.farBehind ? 'critical' : 'warning'">{{ numberText(row.behind + row.farBehind) }}</span></template>
    <template #security="{ row }">{{ row.security ? numberText(row.security) : '' }}</template>
    <template #oldest="{ row }"><span v-if="row.oldestSecurityAt" :class="ageClass(row.oldestSecurityAt)"><AgeText :at="row.oldestSecurityAt" /></span></template>
    <template #other="{ row }"><span class="muted">{{ row.other ? numberText(row.other) : '' }}</span></template>
    <template #held="{ row }">{{ row.held ? numberText(row.held) : '' }}</template>
    <template #around="{ row }"><span class="muted">{{ row.clientId ? aroundText(row) : '' }}</span></template>
  </ShortTable>
  <p v-if="data?.next" class="muted note">The first {{ data.clients.length }} of {{ data.total }}. <button class="link" @click="more">Show more</button></p>
  <p v-if="data?.clients.length" class="muted note">Behind is a device whose oldest security update has been waiting for more than {{ behindAfterDays }} days, from when its agent first saw it; the bar shows those of {{ farBehindAfterDays }} days first. Not known are those that have told nothing of updates for {{ updatesKnownForDays }} days, or have never fetched a list.</p>
  <template v-if="data?.clients.length">
    <div class="sentence">
      <h2>What waited</h2>
      <ChoiceField v-model="span" label="Days">
        <option value="30">in 30 days</option>
        <option value="90">in 90 days</option>
        <option value="365">in a year</option>
      </ChoiceField>
      <span class="muted"><span class="key security" /> for security <span class="key other" /> other</span>
    </div>
    <StateNotice :error="backlog.error.value" :loading="!backlog.data.value" :empty="backlog.data.value && !backlog.data.value.days.length ? 'No device has told what waits on it yet.' : ''" @again="backlog.refresh" />
    <BacklogBars v-if="backlog.data.value?.days.length" :days="backlog.data.value.days" :asked="backlog.data.value.asked" :until="backlog.data.value.until" />
  </template>
</template>

<style scoped>
.sentence {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: center;
  margin: 8px 0;
}
.note {
  margin: 10px 0;
  max-width: 860px;
}
h2 {
  margin: 0;
}
.key {
  display: inline-block;
  width: 10px;
  height: 10px;
}
.key.security {
  background: var(--act);
}
.key.other {
  margin-left: 8px;
  background: var(--bar);
  opacity: 0.55;
}
</style>
