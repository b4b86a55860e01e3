<script setup lang="ts">
import { computed } from 'vue'
import type { AlertView, DevicePage, HeldView } from '#contract'
import { bytesText, countText, hour, percentText, serviceStates } from '#core'
import { api } from '../../parts/data/api'
import { asOf } from '../../parts/data/asOf'
import { alertWords, causeText } from '../../parts/format/alertWords'
import AgeText from '../../parts/ui/AgeText.vue'
import PlaceNotes from '../../parts/ui/PlaceNotes.vue'
import { useSession } from '../../parts/data/session'
import ReadingLine from '../../parts/ui/ReadingLine.vue'
import { useResource } from '../../parts/data/resource'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import { age, exactText, fullText, now } from '../../parts/format/time'
import DoubtText from '../../parts/ui/DoubtText.vue'
import { doubtOf, postDoubt } from '../../parts/data/known'
import type { SeriesPage, SeriesView } from '#contract'
import DeviceCounters from './DeviceCounters.vue'
import DeviceDisks from './DeviceDisks.vue'
import { stateWords } from './services/words'
import DeviceProtection from './DeviceProtection.vue'
import DeviceSessions from './DeviceSessions.vue'
import DeviceUse from './DeviceUse.vue'
import DeviceUpdates from './updates/DeviceUpdates.vue'

const props = defineProps<{ device: DevicePage; alerts: AlertView[]; held: HeldView[] }>()
const session = useSession()
const open = computed(() => props.alerts.filter((alert) => alert.status !== 'closed'))
const heldNow = computed(() => props.held.filter((record) => !record.endedAt))
const services = computed(() => props.device.facts.services ?? [])
const wrongServices = computed(() => props.device.services)
const stateOf = (name: string) => {
  const found = services.value.find((service) => service.name === name)
  return found ? stateWords[found.state] : 'not told'
}
const wrongText = computed(
  () => new Map([...heldNow.value, ...open.value].map((entry) => [entry.instance, alertWords(entry).rest])),
)
const countsText = computed(() => {
  const counts = serviceStates
    .map((state) => [state, services.value.filter((service) => service.state === state).length] as const)
    .filter(([, count]) => count > 0)
  return counts.map(([state, count]) => `${count} ${stateWords[state]}`).join(', ')
})
const recent = useResource(
  async () => {
    const until = asOf.value ?? Date.now()
    const from = until - 6 * hour
    const page = await api.get<SeriesPage>(
      `/devices/${props.device.id}/series?from=${from}&until=${until}&metrics=cpu.busy,memory.available`,
    )
    return {
      from,
      until,
      cpu: page.series.find((series) => series.metric === 'cpu.busy') ?? null,
      memory: page.series.find((series) => series.metric === 'memory.available') ?? null,
    }
  },
  { topics: ['reports'], deviceId: () => props.device.id },
)
/** What of the CPU somebody else had, or was idle for want of a disk: it is no work of programs. */
const cpuParts = computed(() => {
  const of = (metric: string) => props.device.latest?.readings.find(([name]) => name === metric)?.[2]
  const [wait, steal] = [of('cpu.wait'), of('cpu.steal')]
  return [
    wait === undefined ? '' : `, ${percentText(wait)} waiting for disks`,
    steal ? `, ${percentText(steal)} taken by the host` : '',
  ].join('')
})
const last = (series: SeriesView | null) => series?.points.at(-1)?.mean ?? null
</script>

<template>
  <div class="now">
    <section>
      <template v-if="open.length || heldNow.length">
        <h2>Needs a person</h2>
        <p v-for="alert in open" :key="alert.id" class="line"><SeverityMark :state="alert.severity" /><RouterLink :to="`/rounds?alert=${alert.id}`"><b>{{ alertWords(alert).strong }}</b>
            {{ alertWords(alert).rest }}</RouterLink> <DoubtText :doubt="postDoubt(alert)" /><span v-if="alert.carrier" class="muted">{{ causeText(alert) }}</span><span class="muted"><AgeText :at="alert.began" /></span></p>
        <p v-for="record in heldNow" :key="`h${record.id}`" class="line">
          <SeverityMark state="held" />
          <span><b>{{ alertWords(record).strong }}</b> {{ alertWords(record).rest }} <span class="held">held</span> <DoubtText :doubt="postDoubt(record)" /></span>
          <span class="muted"><AgeText :at="record.began" /></span>
        </p>
      </template>
      <PlaceNotes v-if="session.isStaff" :client-id="device.clientId" :site-id="device.siteId" />
      <h2>Machine</h2>
      <dl class="machine">
        <template v-if="device.addresses.length"><dt>Addresses</dt><dd class="mono">{{ device.addresses.join('  ') }}</dd></template>
        <template v-if="device.dependsOn.device || device.dependsOn.by === 'person'">
          <dt>Depends on</dt>
          <dd v-if="device.dependsOn.device"><RouterLink class="mono" :to="`/estate/${device.dependsOn.device.id}`">{{ device.dependsOn.device.name }}</RouterLink>{{ ' ' }}
            <span class="muted">{{ device.dependsOn.by === 'person' ? 'as somebody said' : 'as its default route says' }}</span></dd>
          <dd v-else>nothing, <span class="muted">as somebody said</span></dd>
        </template>
        <template v-if="device.behind.total">
          <dt>Behind it</dt>
          <dd><template v-for="(other, i) in device.behind.devices" :key="other.id">{{ i ? ', ' : '' }}<RouterLink class="mono" :to="`/estate/${other.id}`">{{ other.name }}</RouterLink></template><template v-if="device.behind.total > device.behind.devices.length">
            and {{ device.behind.total - device.behind.devices.length }} more</template></dd>
        </template>
        <template v-if="device.facts.system">
          <dt>Calls itself</dt><dd class="mono">{{ device.facts.system.hostName }}</dd>
          <dt>System</dt><dd>{{ device.facts.system.osName }}, {{ countText(device.facts.system.cores, 'core') }}</dd>
        </template>
        <template v-if="device.startedAt !== null"><dt>Started</dt><dd><span :title="exactText(device.startedAt, device.zone)">{{ fullText(device.startedAt) }}</span>, up for {{ age(device.startedAt, device.silent ? (device.heardAt ?? now) : now) }}{{ device.silent ? ' when last heard' : '' }}<template v-if="device.startedIn">, planned in <RouterLink :to="`/maintenance/${device.startedIn.id}`">{{ device.startedIn.name }}</RouterLink></template></dd></template>
        <dt>Agent</dt><dd>{{ device.agentVersion || 'not reported yet' }}, enrolled {{ fullText(device.enrolledAt) }}</dd>
      </dl>
      <DeviceDisks :device="device" :alerts="alerts" />
      <DeviceUpdates :device="device" />
      <template v-if="recent.data.value">
        <h2>CPU and memory, 6 hours</h2>
        <p v-if="!recent.data.value.cpu && !recent.data.value.memory" class="muted">Not read in these hours.</p>
        <template v-if="recent.data.value.cpu">
          <p class="muted">CPU busy, {{ device.silent ? 'last' : 'now' }}
            {{ percentText(last(recent.data.value.cpu) ?? 0) }}{{ cpuParts }}</p>
          <ReadingLine
            :series="recent.data.value.cpu"
            :from="recent.data.value.from"
            :until="recent.data.value.until"
          />
        </template>
        <template v-if="recent.data.value.memory">
          <p class="muted">Memory available, {{ device.silent ? 'last' : 'now' }}
            {{ bytesText(last(recent.data.value.memory) ?? 0) }}</p>
          <ReadingLine
            :series="recent.data.value.memory"
            :from="recent.data.value.from"
            :until="recent.data.value.until"
          />
        </template>
      </template>
    </section>
    <section>
      <h2>Services <span class="faint count">{{ services.length }}</span> <DoubtText :doubt="doubtOf(device, 'services', device.servicesRead)" /></h2>
      <p v-if="device.facts.system && device.facts.system.serviceManager === null" class="muted">There is no service
        manager here: nothing starts services by itself, so none is expected to run.</p>
      <p v-for="service in wrongServices" :key="service.name" class="line">
        <SeverityMark :state="service.held ? 'held' : service.severity" />
        <span class="mono service">{{ service.name }}</span>
        <span :class="{ critical: !service.held, held: service.held }">{{ wrongText.get(service.name) ?? stateOf(service.name) }}{{ service.held ? ', held' : '' }}</span>
      </p>
      <template v-if="services.length">
        <p class="muted">{{ countsText }}<template v-if="!wrongServices.length">; no watch finds one that is not as it should be</template>.</p>
        <p><RouterLink :to="{ hash: '#services' }">All services <kbd>S</kbd></RouterLink></p>
      </template>
      <p v-else-if="device.servicesRead" class="muted">There are no services here.</p>
      <DeviceProtection :device="device" :alerts="alerts" />
      <DeviceSessions :device="device" :alerts="alerts" />
      <DeviceCounters :device="device" :alerts="alerts" />
      <DeviceUse :device="device" :alerts="alerts" />
    </section>
  </div>
</template>

<style scoped>
.machine {
  display: grid;
  grid-template-columns: 100px 1fr;
  margin: 0;
}
.machine dt {
  color: var(--ink2);
}
.machine dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.now {
  display: grid;
  grid-template-columns: 1fr 460px;
  gap: 40px;
}
@media (max-width: 900px) {
  .now {
    grid-template-columns: minmax(0, 1fr);
  }
}
h2 {
  margin: 16px 0 4px;
}
.count {
  font: 14px var(--sans);
}
.line {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 2px 0;
}
.line span:last-child {
  margin-left: auto;
}
.line .muted:last-child {
  white-space: nowrap;
}
.service {
  overflow-wrap: anywhere;
}
</style>
