<script setup lang="ts">
import { computed, defineAsyncComponent, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { AlertView, DevicePage, DeviceWindows, HeldView, RemediationView } from '#contract'
import { collectorWords, day, isCalledOff, isOpen, windowEnd } from '#core'
import AgeText from '../../parts/ui/AgeText.vue'
import { api } from '../../parts/data/api'
import { useKeys } from '../../parts/shell/keys'
import { useNewestFirst, useParts } from '../../parts/data/parts'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { fullText, now } from '../../parts/format/time'
import WindowTable from '../maintenance/WindowTable.vue'
import DeviceAlerts from './DeviceAlerts.vue'
import DeviceCallouts from './DeviceCallouts.vue'
import DeviceChange from './DeviceChange.vue'
import TrailOf from '../setup/trail/TrailOf.vue'
import DeviceReadings from './readings/DeviceReadings.vue'
import { namedInAddress } from './readings/subjects'
import LogSearch from './eventlog/LogSearch.vue'
import DeviceNow from './DeviceNow.vue'
import DeviceRefused from './DeviceRefused.vue'
import DeviceRoster from './DeviceRoster.vue'
import DeviceServices from './services/DeviceServices.vue'
import DeviceProcesses from './processes/DeviceProcesses.vue'
import DeviceReach from './reach/DeviceReach.vue'
import PartTabs from '../../parts/ui/PartTabs.vue'

/** With its sentence and what it shows beforehand: loaded when somebody plans. */
const OpenedSeries = defineAsyncComponent(() => import('./readings/OpenedSeries.vue'))
const WindowDialog = defineAsyncComponent(() => import('../maintenance/draft/WindowDialog.vue'))

const route = useRoute()
const router = useRouter()
const session = useSession()
const id = Number(route.params.id)
const only = { deviceId: () => id }
const {
  data: device,
  error,
  refresh,
} = useResource(() => api.get<DevicePage>(`/devices/${id}`), {
  topics: ['reports', 'alerts', 'estate', 'policy'],
  ...only,
})
const alerts = useNewestFirst<AlertView>((query) => api.get(`/devices/${id}/alerts?${query}`), {
  topics: ['alerts'],
  ...only,
})
const held = useNewestFirst<HeldView>((query) => api.get(`/devices/${id}/held?${query}`), {
  topics: ['alerts', 'windows'],
  ...only,
})
const remediations = useNewestFirst<RemediationView>((query) => api.get(`/devices/${id}/remediations?${query}`), {
  topics: ['alerts'],
  ...only,
})
const windows = useParts<DeviceWindows>(
  (after) => api.get(`/devices/${id}/windows${after === null ? '' : `?after=${encodeURIComponent(after)}`}`),
  (before, after) => ({ windows: [...before.windows, ...after.windows], next: after.next }),
  { topics: ['windows', 'alerts'] },
)
/** The next one of the coming day. */
const soon = computed(() =>
  (windows.data.value?.windows ?? [])
    .flatMap((window) => {
      const from = window.from > now.value ? window.from : window.next
      return from !== null && from < now.value + day && !isCalledOff(window) ? [{ id: window.id, name: window.name, from }] : []
    })
    .sort((a, b) => a.from - b.from)[0],
)
const covering = computed(() => (windows.data.value?.windows ?? []).filter((window) => isOpen(window, now.value)))
const all = ['Now', 'Services', 'Processes', 'Reachability', 'Readings', 'Log', 'Roster', 'Alerts', 'Maintenance', 'Changes'] as const
/** What only an agent tells. */
const byAgent: readonly string[] = ['Now', 'Services', 'Processes', 'Readings', 'Log']
/** What people did is told to those who work here, as of now. */
const tabs = computed(() =>
  all.filter(
    (name) => (name !== 'Changes' || session.mayChange) && (device.value?.osFamily !== null || !byAgent.includes(name)),
  ),
)
const tabOf = (hash: string) => tabs.value.find((candidate) => candidate.toLowerCase() === hash.slice(1)) ?? tabs.value[0]!
/** It stands in the address, so that it can be sent, and Back leads to the one before. */
const tab = computed({
  get: () => tabOf(route.hash),
  set: (name: string) => void router.push({ hash: name === tabs.value[0] ? '' : `#${name.toLowerCase()}` }),
})
/** The series that is looked at by itself. */
const opened = computed(() => (namedInAddress(route.query.open) ? String(route.query.open) : ''))
const openCount = computed(() => (alerts.data.value ?? []).filter((alert) => alert.status !== 'closed').length)
const wrongServices = computed(() => (device.value?.services ?? []).length)
const planning = ref(false)
const changing = ref(false)
useKeys('Device', [
  ...tabs.value.map((name) => ({
    key: { Roster: 'O', Reachability: 'B' }[name as string] ?? name[0]!,
    does: name,
    run: () => {
      tab.value = name
    },
  })),
  ...(session.mayChange
    ? [
        { key: 'e', does: 'change name, site or tags; reinstall, merge, retire', run: () => { changing.value = true } },
        { key: 'h', does: 'hold alerts back: a maintenance window', run: () => { planning.value = true } },
      ]
    : []),
])
/** What one cause keeps from being collected is one line. */
const notCollected = computed(() => {
  const reasons = new Map<string, string[]>()
  for (const { collector, reason } of device.value?.failed ?? [])
    reasons.set(reason, [...(reasons.get(reason) ?? []), collectorWords[collector]])
  return reasons
})
</script>

<template>
  <div class="page">
    <StateNotice :error="error" :loading="!device" @again="refresh" />
    <template v-if="device">
      <div class="head">
        <h1><SeverityMark v-if="device.worst || device.held" :state="device.worst ?? 'held'" /> <span class="mono name">{{ device.name }}</span></h1>
        <span class="muted">{{ device.clientName }} · {{ device.siteName }} · {{ device.osFamily === null ? `${device.addresses.join(', ')}, no agent` : device.osName }} ·
          {{ device.roles.join(', ') || device.kind }}</span>
        <span class="end">
          <span v-if="device.silent" class="critical"><SeverityMark state="silent" /> silent, heard
            {{ device.heardAt ? fullText(device.heardAt) : 'never' }}</span>
          <span v-else-if="device.heardAt" class="muted">heard <AgeText :at="device.heardAt" :zone="device.zone" /> ago</span>
          <button v-if="session.mayChange" class="btn" @click="changing = true">Change <kbd>e</kbd></button>
          <button v-if="session.mayChange" class="btn" @click="planning = true">Hold alerts <kbd>h</kbd></button>
        </span>
      </div>
      <p v-for="window in covering" :key="window.id" class="covered"><SeverityMark state="held" /> <span><RouterLink :to="`/maintenance/${window.id}`">{{ window.name }}</RouterLink> holds alerts of this device
          back {{ windowEnd(window) ? `until ${fullText(windowEnd(window)!)}` : 'with no end' }};
          {{ (held.data.value ?? []).filter((entry) => !entry.endedAt).length }} held now.</span></p>
      <p v-if="soon" class="covered muted">Planned: <RouterLink :to="`/maintenance/${soon.id}`">{{ soon.name }}</RouterLink> from {{ fullText(soon.from) }}.</p>
      <p v-if="Math.abs(device.clockOffset) > 5000" class="covered warning">The clock of this device is
        {{ Math.round(Math.abs(device.clockOffset) / 1000) }} s {{ device.clockOffset > 0 ? 'ahead' : 'behind' }}; times
        are corrected.</p>
      <p v-for="[reason, names] in notCollected" :key="reason" class="covered muted">Not read: {{ names.join(', ') }}.
        {{ reason }}</p>
      <DeviceRefused :device="device" />
      <PartTabs
        v-model="tab"
        label="Parts of the device"
        :tabs="tabs.map((name) => ({ name, title: name, ...(name === 'Alerts' ? { count: openCount } : name === 'Services' && wrongServices ? { count: wrongServices } : {}) }))"
      />
      <DeviceNow
        v-if="tab === 'Now'"
        :device="device"
        :alerts="alerts.data.value ?? []"
        :held="held.data.value ?? []"
      />
      <DeviceServices
        v-else-if="tab === 'Services'"
        :device="device"
        :alerts="alerts.data.value ?? []"
        :held="held.data.value ?? []"
      />
      <DeviceReach v-else-if="tab === 'Reachability'" :device="device" />
      <DeviceProcesses v-else-if="tab === 'Processes'" :device="device" :alerts="alerts.data.value ?? []" />
      <OpenedSeries v-else-if="tab === 'Readings' && opened" :device="device" :name="opened" />
      <DeviceReadings v-else-if="tab === 'Readings'" :device="device" />
      <LogSearch v-else-if="tab === 'Log'" :device="device" />
      <DeviceRoster v-else-if="tab === 'Roster'" :device="device" />
      <template v-else-if="tab === 'Alerts'">
        <DeviceAlerts
          :alerts="alerts"
          :held="held"
          :remediations="remediations"
        />
        <DeviceCallouts v-if="session.mayChange" :device-id="id" />
      </template>
      <TrailOf v-else-if="tab === 'Changes'" :id="device.id" kind="device" :topics="['estate']" :device-id="device.id" />
      <template v-else>
        <WindowTable v-if="windows.data.value?.windows.length" :windows="windows.data.value.windows" />
        <p v-else class="muted pad">No window has reached this device{{ windows.data.value?.next ? ' lately' : '' }}.</p>
        <p v-if="windows.data.value?.next"><button class="link" @click="windows.more">older ones</button></p>
      </template>
      <DeviceChange v-if="changing" :device="device" @close="changing = false" />
      <WindowDialog
        v-if="planning"
        :begin="{ clientId: device.clientId, deviceIds: [id] }"
        :devices-name="device.name"
        @close="planning = false"
      />
    </template>
  </div>
</template>

<style scoped>
.name {
  font-size: 20px;
  font-weight: 600;
}
.covered {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 0;
}
.pad {
  padding: 14px 0;
}
.end {
  align-items: center !important;
}
</style>
