<script setup lang="ts">
import { computed } from 'vue'
import type { AlertView, BoardDisk, DevicePage } from '#contract'
import { bytesText, durationText, lengthBetweenText, numberText, percentText, watchKind, type Disk } from '#core'
import DiskBar from '../../parts/ui/DiskBar.vue'
import DoubtText from '../../parts/ui/DoubtText.vue'
import StateLine from '../../parts/ui/StateLine.vue'
import { doubtOf } from '../../parts/data/known'
import { nameInAddress } from './readings/subjects'

/** What a device has to keep things on: how full, how soon full, whether it can be written to, and how its drives are. */
const props = defineProps<{ device: DevicePage; alerts: readonly AlertView[] }>()

const readOnlyWords = { fault: 'read-only after an error', changed: 'mounted read-only', meant: 'read-only' } as const
/** Below this share inodes run out before bytes mostly do. */
const fewInodes = 0.25

function inodesText(disk: Disk | undefined, free: number | undefined): string {
  if (free === undefined || free >= fewInodes) return ''
  const all = disk?.inodes === undefined ? '' : ` of ${numberText(disk.inodes)}`
  return `${percentText(free)}${all} inodes free`
}

const disks = computed(() =>
  props.device.disks.map((room: BoardDisk) => {
    const { mount } = room
    const disk = (props.device.facts.disks ?? []).find((each) => each.mount === mount)
    const inodes = (props.device.latest?.readings ?? []).find(
      ([metric, instance]) => metric === 'disk.inodes.free' && instance === mount,
    )?.[2]
    const fill = props.device.fills.find((each) => each.mount === mount)
    const marks = [
      disk?.remote ? `share ${disk.device}` : '',
      disk?.removable ? 'removable' : '',
      inodesText(disk, inodes),
    ].filter(Boolean)
    return { room, disk, fill, marks: marks.join(', ') }
  }),
)
const closed = computed(() => (props.device.facts.disks ?? []).filter((disk) => disk.trouble))
const unwritable = (disk: Disk | undefined) => (disk?.readOnly ? readOnlyWords[disk.readOnly] : '')

/** Each drive in the words of the watch, whichever its limits are here. */
const drives = computed(() => {
  const kind = watchKind('drive-health')
  const values = Object.fromEntries(kind.parameters.map((parameter) => [parameter.name, parameter.default]))
  const { facts, zone } = props.device
  const models = new Map(facts.drives?.drives.map(({ name, model }) => [name, model]))
  const observed = { at: 0, heardAt: 0, interval: 0, readings: [], events: [], failed: [], facts, zone }
  return kind
    .observe(values, observed, () => undefined)
    .map(({ instance, evidence, failing, well }) => ({
      name: instance,
      model: models.get(instance) ?? '',
      text: evidence().text.slice(instance.length + 1).replace(`(${models.get(instance)}) `, ''),
      isTrouble: failing.length > 0,
      isUnknown: !well && failing.length === 0,
      severity: props.alerts.find(
        ({ rule, instance: other, status }) => rule.kind === 'drive-health' && other === instance && status !== 'closed',
      )?.severity,
    }))
})
const linkOf = (mount: string) => ({
  query: { open: nameInAddress({ metric: 'disk.free', instance: mount }), last: '30d' },
  hash: '#readings',
})
</script>

<template>
  <div>
    <h2>Disks <DoubtText :doubt="doubtOf(device, 'disks', device.disks.length > 0)" /></h2>
    <StateLine v-for="{ room, disk, fill, marks } in disks" :key="room.mount" :name="room.mount" :to="linkOf(room.mount)">
      <template #before><DiskBar :disk="room" /></template>
      <span :class="{ critical: room.severity === 'critical', warning: room.severity === 'warning' }">{{ percentText(room.free / room.size) }},
        {{ bytesText(room.free) }} free of {{ bytesText(room.size) }}<template v-if="fill"><br><span class="muted">full in {{ lengthBetweenText(fill.soonest, fill.latest ?? Infinity) }}, {{ bytesText(-fill.perDay) }} less each day<template v-if="fill.clearedEvery !== null">; cleared up every {{ durationText(fill.clearedEvery) }}</template></span></template></span>
      <span v-if="unwritable(disk)" :class="disk?.readOnly === 'meant' ? 'muted' : 'warning'">{{ unwritable(disk) }}</span>
      <span v-if="marks" class="muted">{{ marks }}</span>
    </StateLine>
    <StateLine v-for="disk in closed" :key="disk.mount" :name="disk.mount" severity="warning">
      <span class="warning">cannot be read: {{ disk.trouble }}</span>
    </StateLine>
    <template v-if="drives.length">
      <h2>Drives <DoubtText :doubt="doubtOf(device, 'drives', true)" /></h2>
      <StateLine v-for="drive in drives" :key="drive.name" :name="drive.name" :severity="drive.severity">
        <span :class="{ warning: drive.isTrouble, muted: drive.isUnknown }">{{ drive.text }}</span>
        <span class="muted">{{ drive.model }}</span>
      </StateLine>
    </template>
  </div>
</template>

<style scoped>
h2 {
  margin: 16px 0 4px;
}
</style>
