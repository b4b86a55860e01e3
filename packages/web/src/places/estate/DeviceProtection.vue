<script setup lang="ts">
import { computed } from 'vue'
import type { AlertView, DevicePage } from '#contract'
import { groupsBy, mostUrgent, watchKind } from '#core'
import DoubtText from '../../parts/ui/DoubtText.vue'
import StateLine from '../../parts/ui/StateLine.vue'
import { doubtOf } from '../../parts/data/known'
import { now } from '../../parts/format/time'

/** How well a device is protected, in the words of the watches, whether or not anything is watched here. */
const props = defineProps<{ device: DevicePage; alerts: readonly AlertView[] }>()
const kinds = [
  { kind: 'antivirus', name: 'Antivirus' },
  { kind: 'firewall', name: 'Firewall' },
  { kind: 'encryption', name: 'Disk encryption' },
  { kind: 'clock-kept', name: 'Clock' },
] as const

/** What stays to be said of one: its name stands before it. */
const without = (text: string, name: string) => (name && text.startsWith(`${name} `) ? text.slice(name.length + 1) : text)

const lines = computed(() => {
  const { facts, zone, silent, heardAt } = props.device
  const at = silent ? (heardAt ?? now.value) : now.value
  const observed = { at, heardAt: at, interval: 0, readings: [], events: [], failed: [], facts, zone }
  return kinds.map(({ kind: of, name }) => {
    const kind = watchKind(of)
    const values = Object.fromEntries(kind.parameters.map((parameter) => [parameter.name, parameter.default]))
    const observations = kind
      .observe({ ...values, except: [] }, observed, () => undefined)
      .map(({ instance, evidence, well, failing }) => ({
        instance,
        text: without(evidence().text, instance || name.toLowerCase()),
        isUnknown: !well && failing.length === 0,
      }))
    // What is so of several is said once.
    const parts = [...groupsBy(observations, ({ text, isUnknown }) => `${isUnknown} ${text}`).values()].map((group) => ({
      names: group.flatMap(({ instance }) => instance || []).join(', '),
      text: group.length > 1 ? group[0]!.text.replace(/^is /, 'are ') : group[0]!.text,
      isUnknown: group[0]!.isUnknown,
    }))
    const open = props.alerts.filter(({ rule, status }) => rule.kind === of && status !== 'closed')
    return { name, parts, severity: mostUrgent(open.map(({ severity }) => severity)) ?? undefined }
  })
})
const isRead = computed(() => props.device.facts.protection !== undefined)
</script>

<template>
  <div v-if="isRead || device.failing.includes('protection')">
    <h2>Protection <DoubtText :doubt="doubtOf(device, 'protection', isRead)" /></h2>
    <template v-if="isRead">
      <StateLine v-for="line in lines" :key="line.name" :name="line.name" plain :severity="line.severity">
        <span>
          <template v-for="(part, i) in line.parts" :key="i">{{ i ? '; ' : '' }}<span :class="{ muted: part.isUnknown }"><template v-if="part.names"><span class="mono">{{ part.names }}</span>{{ ' ' }}</template>{{ part.text }}</span></template>
          <span v-if="!line.parts.length" class="muted">nothing of the kind</span>
        </span>
      </StateLine>
    </template>
  </div>
</template>

<style scoped>
h2 {
  margin: 16px 0 4px;
}
</style>
