<script setup lang="ts">
import { computed } from 'vue'
import type { AlertView, DevicePage } from '#contract'
import { counterTroubleText, metrics, mostUrgent, ownPrograms, readingText, watchKind } from '#core'
import { doubtOf } from '../../parts/data/known'
import DoubtText from '../../parts/ui/DoubtText.vue'
import StateLine from '../../parts/ui/StateLine.vue'
import { nameInAddress } from './readings/subjects'

/** What the programs of a device count, as they told it last. */
const props = defineProps<{ device: DevicePage; alerts: readonly AlertView[] }>()
/** Of each program so many; all of them are among the readings. */
const most = 12

const open = computed(() =>
  props.alerts.filter(({ rule, status }) => rule.kind && watchKind(rule.kind).subject === 'counter' && status !== 'closed'),
)
const severityOf = (isIts: (alert: AlertView) => boolean) =>
  mostUrgent(open.value.filter(isIts).map(({ severity }) => severity)) ?? undefined
const valueOf = (metric: string, name: string) =>
  props.device.latest?.readings.find((reading) => reading[0] === metric && reading[1] === name)?.[2]

const programs = computed(() =>
  [...(props.device.facts.counters ?? [])]
    .sort((a, b) => a.name.localeCompare(b.name, 'en'))
    .map((told) => ({
      ...told,
      isOwn: (ownPrograms as readonly string[]).includes(told.from),
      wrong: told.trouble === undefined ? '' : counterTroubleText(told.trouble, told.detail),
      severity: severityOf(({ rule, evidence }) => rule.kind === 'program-counters' && evidence?.subject === told.name),
      series: told.series.map((series) => {
        const value = valueOf(series.metric, series.name)
        return {
          ...series,
          short: series.name.slice(told.name.length + 2),
          text: value === undefined ? 'not known yet' : readingText(metrics[series.metric].unit, value),
          isKnown: value !== undefined,
          severity: severityOf(({ instance }) => instance === series.name),
          to: { query: { open: nameInAddress({ metric: series.metric, instance: series.name }) }, hash: '#readings' },
        }
      }),
    })),
)
</script>

<template>
  <div v-if="programs.length || device.failing.includes('counters')">
    <h2>Counters <DoubtText :doubt="doubtOf(device, 'counters', device.facts.counters !== undefined)" /></h2>
    <template v-for="program in programs" :key="program.name">
      <StateLine :name="program.name" :severity="program.severity">
        <span v-if="program.wrong" class="warning">{{ program.wrong }}</span>
        <span v-else class="muted from">{{ program.isOwn ? 'by its own tools' : `from ${program.from}` }}</span>
      </StateLine>
      <div class="list">
        <StateLine
          v-for="series in program.series.slice(0, most)"
          :key="series.name"
          :name="series.short"
          plain
          :to="series.to"
          :severity="series.severity"
        >
          <span class="value" :class="{ muted: !series.isKnown }">{{ series.text }}</span>
        </StateLine>
        <p v-if="program.series.length > most" class="muted">And {{ program.series.length - most }} more.</p>
        <p v-if="program.missing.length" class="warning">It does not tell {{ program.missing.join(', ') }}.</p>
      </div>
    </template>
  </div>
</template>

<style scoped>
h2 {
  margin: 16px 0 4px;
}
.list {
  padding-left: 14px;
  border-left: 1px solid var(--rule);
}
.value {
  margin-left: auto;
  font-variant-numeric: tabular-nums;
}
.from {
  overflow-wrap: anywhere;
}
</style>
