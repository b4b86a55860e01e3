<script setup lang="ts">
import { computed } from 'vue'
import type { AlertView, DevicePage } from '#contract'
import { bitRateText, bytesText, percentText, readingText, watchKind, type MetricName } from '#core'
import DoubtText from '../../parts/ui/DoubtText.vue'
import StateLine from '../../parts/ui/StateLine.vue'
import { doubtOf } from '../../parts/data/known'
import { nameInAddress } from './readings/subjects'

/** How much its drives and links have to do, and how hot it is, as it was told last. */
const props = defineProps<{ device: DevicePage; alerts: readonly AlertView[] }>()
const readings = computed(() => {
  const found = new Map<string, number>()
  for (const [metric, instance, value] of props.device.latest?.readings ?? []) found.set(`${metric}|${instance}`, value)
  return found
})
const of = (metric: MetricName, instance = '') => readings.value.get(`${metric}|${instance}`)

interface Line {
  name: string
  to: { query: { open: string }; hash: string }
  severity: AlertView['severity'] | undefined
  parts: string[]
  more: string
}
const open = computed(() => props.alerts.filter(({ status }) => status !== 'closed'))
function lineOf(metric: MetricName, name: string, parts: (string | null)[], more = ''): Line {
  const alert = open.value.find(({ rule, instance }) => {
    const kind = rule.kind ? watchKind(rule.kind) : null
    return instance === name && kind !== null && familyOf(kind.metric) === familyOf(metric)
  })
  return {
    name,
    to: { query: { open: nameInAddress({ metric, instance: name }) }, hash: '#readings' },
    severity: alert?.severity,
    parts: parts.filter((part) => part !== null),
    more,
  }
}
const familyOf = (metric: string | undefined) => metric?.split('.')[0]
const known = (value: number | undefined, text: (value: number) => string) => (value === undefined ? null : text(value))

const drives = computed(() =>
  (props.device.facts.blocks ?? [])
    .filter((name) => of('io.busy', name) !== undefined)
    .map((name) =>
      lineOf('io.latency', name, [
        known(of('io.busy', name), (value) => `${percentText(value)} busy`),
        known(of('io.latency', name), (value) => readingText('ms', value)),
        known(of('io.read', name), (value) => `${bytesText(value)}/s read`),
        known(of('io.written', name), (value) => `${bytesText(value)}/s written`),
      ]),
    ),
)
const links = computed(() =>
  (props.device.facts.links ?? []).map(({ name, speed }) =>
    lineOf(
      speed === undefined ? 'net.received' : 'net.load',
      name,
      [
        known(of('net.load', name), (value) => `${percentText(value)} of ${bitRateText(speed ?? 0)}`),
        known(of('net.received', name), (value) => `${bytesText(value)}/s in`),
        known(of('net.sent', name), (value) => `${bytesText(value)}/s out`),
      ],
      speed === undefined ? 'its speed is not told' : '',
    ),
  ),
)
const sensors = computed(() =>
  (props.device.facts.sensors ?? [])
    .filter(({ name }) => of('temperature', name) !== undefined)
    .map(({ name, critical }) =>
      lineOf(
        'temperature',
        name,
        [known(of('temperature', name), (value) => readingText('°C', value))],
        critical === undefined ? '' : `dangerous from ${critical} °C`,
      ),
    ),
)
const groups = computed(() =>
  [
    { title: 'Use of drives', collector: 'performance', lines: drives.value },
    { title: 'Links', collector: 'network', lines: links.value },
    { title: 'Temperature', collector: 'performance', lines: sensors.value },
  ].filter(({ lines }) => lines.length),
)
</script>

<template>
  <div>
    <template v-for="group in groups" :key="group.title">
      <h2>{{ group.title }} <DoubtText :doubt="doubtOf(device, group.collector as 'performance' | 'network', true)" /></h2>
      <StateLine v-for="line in group.lines" :key="line.name" :name="line.name" :to="line.to" :severity="line.severity">
        <span>{{ line.parts.join(', ') }}</span>
        <span v-if="line.more" class="muted">{{ line.more }}</span>
      </StateLine>
    </template>
  </div>
</template>

<style scoped>
h2 {
  margin: 16px 0 4px;
}
</style>
