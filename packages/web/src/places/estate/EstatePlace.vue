<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { BoardDevice, Role } from '#contract'
import { countText, urgency } from '#core'
import { api } from '../../parts/data/api'
import DiskBar from '../../parts/ui/DiskBar.vue'
import EventBars from '../../parts/ui/EventBars.vue'
import { useKeys } from '../../parts/shell/keys'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { age, exactText } from '../../parts/format/time'
import DoubtText from '../../parts/ui/DoubtText.vue'
import { doubtOf, updatesDoubt } from '../../parts/data/known'

const session = useSession()
const route = useRoute()
const router = useRouter()
if (route.query.client) session.choose(Number(route.query.client))
const { data, error, refresh } = useResource(() => api.get<BoardDevice[]>('/devices'), {
  topics: ['reports', 'alerts', 'estate', 'policy', 'windows'],
})
const roles = useResource(() => api.get<Role[]>('/roles'))
const kind = ref('')
const role = ref('')
const state = ref('')

const fullest = (device: BoardDevice) =>
  Math.max(0, ...device.disks.map((disk) => (disk.size ? 1 - disk.free / disk.size : 0)))
const needs = (device: BoardDevice) => urgency(device.worst) * 100 + (device.silent ? 50 : 0) + (device.held ? 10 : 0)
const orders: Record<string, { title: string; value: (device: BoardDevice) => number | string; least?: boolean }> = {
  needs: { title: 'what needs a person', value: needs },
  name: { title: 'name', value: (device) => device.name, least: true },
  client: { title: 'client and site', value: (device) => `${device.clientName} ${device.siteName} ${device.name}`, least: true },
  role: { title: 'role', value: (device) => device.roles.join(), least: true },
  system: { title: 'system', value: (device) => device.osName, least: true },
  disks: { title: 'fullest disk', value: fullest },
  services: { title: 'services', value: (device) => device.services.length },
  updates: { title: 'security updates', value: (device) => device.updates?.security ?? -1 },
  oldest: { title: 'oldest update', value: (device) => -(device.updates?.oldestSecurityAt ?? Infinity) },
  log: { title: 'log events', value: (device) => device.events.reduce((sum, n) => sum + n, 0) },
  heard: { title: 'last heard', value: (device) => device.heardAt ?? 0, least: true },
}
const order = ref('needs')
const shown = computed(() => {
  const list = (data.value ?? []).filter(
    (device) =>
      session.inView(device.clientId) &&
      (!kind.value || device.kind === kind.value) &&
      (!role.value || device.roles.includes(role.value)) &&
      (!state.value ||
        (state.value === 'held' ? device.held > 0 : state.value === 'silent' ? device.silent : needs(device) >= 50)),
  )
  const { value, least } = orders[order.value]!
  return [...list].sort((a, b) => {
    const [x, y] = [value(a), value(b)]
    return (x < y ? -1 : x > y ? 1 : 0) * (least ? 1 : -1) || (a.name < b.name ? -1 : 1)
  })
})
const inView = computed(() => (data.value ?? []).filter((device) => session.inView(device.clientId)))
const mark = (device: BoardDevice) => (device.silent ? 'silent' : (device.worst ?? (device.held ? 'held' : null)))
const columns = [
  ['name', 'Device'],
  ['client', 'Client and site'],
  ['role', 'Role'],
  ['system', 'System'],
  ['disks', 'Disks'],
  ['services', 'Services'],
  ['updates', 'Security'],
  ['oldest', 'Oldest'],
  ['log', 'Log, last day'],
  ['heard', 'Heard'],
] as const

/** Devices chosen to do something with several of them; null: nobody is choosing. */
const chosen = ref<number[] | null>(null)
function toggle(id: number): void {
  const ids = chosen.value ?? []
  chosen.value = ids.includes(id) ? ids.filter((candidate) => candidate !== id) : [...ids, id]
}
const open = (id: number) => (chosen.value ? toggle(id) : void router.push(`/estate/${id}`))
const row = ref(0)
function move(by: number): void {
  row.value = Math.max(0, Math.min(shown.value.length - 1, row.value + by))
  document.querySelectorAll<HTMLElement>('.device')[row.value]?.focus()
}
useKeys('Estate', [
  { key: 'j', does: 'next device', run: () => move(1) },
  { key: 'k', does: 'previous device', run: () => move(-1) },
  {
    key: 'x',
    does: 'choose the device',
    run: () => {
      const at = shown.value[row.value]
      if (at) toggle(at.id)
    },
  },
  {
    key: 's',
    does: 'sort by what needs a person',
    run: () => {
      order.value = 'needs'
    },
  },
])
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Estate</h1>
      <span v-if="data" class="muted">{{ countText(inView.length, 'device') }} at
        {{ countText(new Set(inView.map((device) => device.clientId)).size, 'client') }}</span>
      <span class="end">
        <template v-if="chosen">
          <b>{{ chosen.length }} chosen</b>
          <RouterLink
            v-if="chosen.length && session.mayChange"
            class="btn"
            :to="`/rollout?part=waves&devices=${chosen.join(',')}`"
          >Send agents to them anew</RouterLink>
          <button class="link" @click="chosen = shown.map((device) => device.id)">all {{ shown.length }}</button>
          <button class="link" @click="chosen = null">none</button>
        </template>
        <button v-else-if="shown.length" class="link" @click="chosen = []">choose several</button>
        <span class="muted">sorted by {{ orders[order]!.title }}</span>
      </span>
    </div>
    <p class="sentence">Show
      <select v-model="kind" aria-label="Kind">
        <option value="">every kind of device</option>
        <option value="server">servers</option>
        <option value="workstation">workstations</option>
      </select> of <b>{{ session.client?.name ?? 'every client' }}</b>,
      <select v-model="role" aria-label="Role">
        <option value="">any role</option>
        <option v-for="role in roles.data.value" :key="role.id" :value="role.id">{{ role.name }}</option>
      </select>,
      <select v-model="state" aria-label="State">
        <option value="">whatever their state</option>
        <option value="needs">that need a person</option>
        <option value="held">with something held</option>
        <option value="silent">that are silent</option>
      </select> <span class="muted">— {{ shown.length }} match</span></p>
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !shown.length ? 'No device matches this sentence.' : ''"
      @again="refresh"
    />
    <table v-if="shown.length" class="board">
      <thead>
        <tr>
          <th></th>
          <th
            v-for="[key, title] in columns"
            :key="key"
            :class="{ num: key === 'heard' }"
            :aria-sort="order === key ? 'descending' : 'none'"
          >
            <button class="sort" :class="{ on: order === key }" @click="order = key">{{ title }}</button>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="device in shown" :key="device.id" @click="open(device.id)">
          <td class="mark">
            <input
              v-if="chosen"
              type="checkbox"
              :checked="chosen.includes(device.id)"
              :aria-label="`Choose ${device.name}`"
              @click.stop="toggle(device.id)"
            />
            <SeverityMark v-else :state="mark(device)" />
          </td>
          <td class="name" :title="device.name">
            <RouterLink class="device mono" :to="`/estate/${device.id}`" @click.stop>{{ device.name }}</RouterLink>
          </td>
          <td class="muted place" :title="`${device.clientName} · ${device.siteName}`">{{ device.clientName }} ·
            {{ device.siteName }}</td>
          <td class="role" :title="device.roles.join(', ')">{{ device.roles.join(', ') || device.kind }}</td>
          <td class="muted">{{ device.osName.replace('Windows Server', 'Server') }}</td>
          <td class="disks">
            <DiskBar v-for="disk in device.disks.slice(0, 4)" :key="disk.mount" :disk="disk" />
            <span v-if="device.disks.length > 4" class="muted">+{{ device.disks.length - 4 }}</span>
            <DoubtText :doubt="doubtOf(device, 'disks', device.disks.length > 0)" />
          </td>
          <td>
            <template v-if="device.services.length">
              <span
                v-for="service in device.services.slice(0, 2)"
                :key="service.name"
                :class="service.held ? 'held' : 'critical'"
                class="service"
                :title="service.name"
              >{{ service.held ? `${service.name} held` : service.name }}</span>
              <span v-if="device.services.length > 2" class="muted"> +{{ device.services.length - 2 }}</span>
            </template>
            <span v-else-if="!doubtOf(device, 'services', device.servicesRead)" class="muted">as they should be</span>
            <DoubtText :doubt="doubtOf(device, 'services', device.servicesRead)" />
          </td>
          <td>
            <template v-if="device.updates?.security"><b>{{ device.updates.security }}</b> of
              {{ device.updates.security + device.updates.other }}</template>
            <span v-else-if="!updatesDoubt(device)" class="faint">none</span>
            <DoubtText :doubt="updatesDoubt(device)" />
          </td>
          <td>
            <span
              v-if="device.updates?.oldestSecurityAt"
              :class="{ warning: Date.now() - device.updates.oldestSecurityAt > 7 * 86_400_000 }"
            >{{ age(device.updates.oldestSecurityAt) }}</span>
          </td>
          <td><EventBars :events="device.events" :errors="device.errors" /></td>
          <td class="num" :title="device.heardAt ? exactText(device.heardAt) : ''">
            <b v-if="device.silent">{{ device.heardAt ? age(device.heardAt) : 'never' }}</b>
            <span v-else class="muted">{{ device.heardAt ? age(device.heardAt) : 'never' }}</span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.sentence {
  margin: 8px 0;
}
.sort {
  border: 0;
  background: none;
  padding: 0;
  cursor: pointer;
  color: inherit;
}
.sort.on {
  color: var(--ink);
  font-weight: 600;
}
tbody tr {
  cursor: pointer;
}
td {
  white-space: nowrap;
}
.mark {
  width: 22px;
}
.device {
  color: var(--ink);
}
.service {
  display: inline-block;
  max-width: 110px;
  vertical-align: bottom;
  font-weight: 600;
  margin-right: 8px;
}
.name {
  max-width: 190px;
}
.role {
  max-width: 100px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.place {
  max-width: 178px;
}
.name,
.place,
.service {
  overflow: hidden;
  text-overflow: ellipsis;
}
.disks {
  line-height: 14px;
}
</style>
