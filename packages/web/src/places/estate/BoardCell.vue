<script setup lang="ts">
import type { BoardDevice } from '#contract'
import { doubtOf, updatesDoubt } from '../../parts/data/known'
import { age, exactText } from '../../parts/format/time'
import DiskBar from '../../parts/ui/DiskBar.vue'
import DoubtText from '../../parts/ui/DoubtText.vue'
import EventBars from '../../parts/ui/EventBars.vue'

/** One thing of one device, as the board compares it. */
defineProps<{ device: BoardDevice; column: string }>()
const week = 7 * 86_400_000
const now = Date.now
</script>

<template>
  <RouterLink v-if="column === 'name'" class="device mono" tabindex="-1" :to="`/estate/${device.id}`" :title="device.name">{{ device.name }}</RouterLink>
  <span v-else-if="column === 'client'" class="muted" :title="`${device.clientName} · ${device.siteName}`">{{ device.clientName }} · {{ device.siteName }}</span>
  <span v-else-if="column === 'role'" :title="device.roles.join(', ')">{{ device.roles.join(', ') || device.kind }}</span>
  <span v-else-if="column === 'system'" class="muted" :title="device.osName">{{ device.osName.replace('Windows Server', 'Server') }}</span>
  <template v-else-if="column === 'disks'">
    <DiskBar v-for="disk in device.disks.slice(0, 3)" :key="disk.mount" :disk="disk" />
    <span v-if="device.disks.length > 3" class="muted">+{{ device.disks.length - 3 }}</span>
    <DoubtText :doubt="doubtOf(device, 'disks', device.disks.length > 0)" />
  </template>
  <template v-else-if="column === 'services'">
    <template v-if="device.services.length">
      <span
        v-for="service in device.services.slice(0, 2)"
        :key="service.name"
        :class="service.held ? 'held' : 'critical'"
        class="service"
        :title="service.name"
      >{{ service.held ? `${service.name} held` : service.name }}</span>
      <span v-if="device.services.length > 2" class="muted">+{{ device.services.length - 2 }}</span>
    </template>
    <span v-else-if="!doubtOf(device, 'services', device.servicesRead)" class="muted">as they should be</span>
    <DoubtText :doubt="doubtOf(device, 'services', device.servicesRead)" />
  </template>
  <template v-else-if="column === 'updates'">
    <template v-if="device.updates?.security"><b>{{ device.updates.security }}</b> of
      {{ device.updates.security + device.updates.other }}</template>
    <span v-else-if="!updatesDoubt(device)" class="faint">none</span>
    <DoubtText :doubt="updatesDoubt(device)" />
  </template>
  <span
    v-else-if="column === 'oldest' && device.updates?.oldestSecurityAt"
    :class="{ warning: now() - device.updates.oldestSecurityAt > week }"
    :title="exactText(device.updates.oldestSecurityAt)"
  >{{ age(device.updates.oldestSecurityAt) }}</span>
  <EventBars v-else-if="column === 'log'" :events="device.events" :errors="device.errors" />
  <component
    :is="device.silent ? 'b' : 'span'"
    v-else-if="column === 'heard'"
    :class="{ muted: !device.silent }"
    :title="device.heardAt ? exactText(device.heardAt) : ''"
  >{{ device.heardAt ? age(device.heardAt) : device.osFamily === null ? 'no agent' : 'never' }}</component>
</template>

<style scoped>
.device {
  color: var(--ink);
}
.service {
  display: inline-block;
  max-width: 110px;
  overflow: hidden;
  text-overflow: ellipsis;
  vertical-align: bottom;
  font-weight: 600;
  margin-right: 8px;
}
</style>
