<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Impact, ImpactWatch } from '#contract'
import { countText, sentenceText } from '#core'

/** What a change would do: how many devices, which watches, each as a sentence, and what it costs. */
const props = defineProps<{
  impact: Impact | null
  title: string
  busy?: boolean
  /** What is shown is of a moment ago. */ counting?: boolean
}>()
const open = ref<number | null>(null)
const shown = computed(() =>
  (props.impact?.watches ?? [])
    .map((watch, i) => ({ ...watch, i }))
    .sort((a, b) => b.devices - a.devices)
    .slice(0, 60),
)
const devicesOf = (i: number) => (props.impact?.examples ?? []).filter((example) => example.watches.includes(i))
const sign: Record<ImpactWatch['change'], string> = { added: '+', removed: '−', altered: '→' }
const whole = new Intl.NumberFormat('en-GB')
const cost = computed(() => {
  const {
    readings: [before, after],
    events,
    logs,
    entries,
  } = props.impact!.cost
  const lines: string[] = []
  if (before !== after)
    lines.push(
      `${whole.format(Math.abs(after - before))} readings a day ${after > before ? 'more' : 'less'} (${whole.format(before)} → ${whole.format(after)})`,
    )
  if (logs.length)
    lines.push(
      `${logs.join(', ')} read anew: ${events === null ? 'nobody knows yet how many entries a day' : `about ${whole.format(Math.round(events))} entries a day more`}`,
    )
  if (entries?.[1] === null)
    lines.push(`more log entries are kept than now (${whole.format(entries[0])} a day); those left out so far were not counted`)
  else if (entries)
    lines.push(
      `about ${whole.format(entries[1]!)} of ${whole.format(entries[0])} log entries a day are kept${entries[0] > 0 ? ` (−${Math.round((100 * (entries[0] - entries[1]!)) / entries[0])} %)` : ''}`,
    )
  return lines
})
</script>

<template>
  <div class="impact" :class="{ counting }" :aria-busy="counting" aria-live="polite">
    <p class="muted">{{ title }}</p>
    <template v-if="impact">
      <p class="big">{{ countText(impact.devices, 'device') }}</p>
      <p class="muted">
        <template v-if="impact.devices">at {{ countText(impact.clients, 'client') }}<template v-if="impact.keepOwn">; {{ impact.keepOwn }} with exceptions of their own</template></template>
        <template v-else>No device would change. It may be saved all the same.</template>
      </p>
      <p v-if="impact.devices" class="counts">
        <span v-if="impact.added"><b>{{ impact.added }}</b> {{ impact.added === 1 ? 'watch' : 'watches' }} added</span>
        <span v-if="impact.removed"><b>{{ impact.removed }}</b> removed</span>
        <span v-if="impact.altered"><b>{{ impact.altered }}</b> altered</span>
      </p>
      <template v-if="impact.devices">
        <p v-for="line in cost" :key="line" class="muted">{{ line }}</p>
        <p v-if="!cost.length" class="faint">No more and no fewer readings or log entries than now.</p>
      </template>
      <ul v-if="shown.length" class="watches">
        <li v-for="device in shown" :key="device.i">
          <button class="link" :aria-expanded="open === device.i" @click="open = open === device.i ? null : device.i"><span class="sign">{{ sign[device.change] }}</span>
            {{ device.name }} <span v-if="device.moves.length" class="move">{{ device.moves.join(', ') }}</span> <span class="muted">on {{ countText(device.devices, 'device') }}</span></button>
          <div v-if="open === device.i" class="detail">
            <p v-if="device.before" class="rule" :class="{ gone: device.change !== 'added' }">{{ sentenceText(device.before) }}</p>
            <p v-if="device.after" class="rule">{{ sentenceText(device.after) }}</p>
            <p class="names">
              <template v-for="(device, n) in devicesOf(device.i).slice(0, 40)" :key="device.deviceId">
                <template v-if="n">, </template>
                <RouterLink class="mono" :to="`/estate/${device.deviceId}#roster`" :title="device.clientName">{{ device.deviceName }}</RouterLink>
              </template>
              <span v-if="device.devices > Math.min(40, devicesOf(device.i).length)" class="muted"> and
                {{ device.devices - Math.min(40, devicesOf(device.i).length) }} more</span>
            </p>
          </div>
        </li>
      </ul>
      <details v-if="impact.examples.length">
        <summary>Device by device</summary>
        <p v-for="device in impact.examples.slice(0, 100)" :key="device.deviceId" class="names"><RouterLink class="mono" :to="`/estate/${device.deviceId}#roster`">{{ device.deviceName }}</RouterLink> <span class="faint">{{ device.clientName }}</span> <span class="muted">{{ device.watches.map((i) => `${sign[impact!.watches[i]!.change]} ${impact!.watches[i]!.name}`).join(', ') }}</span></p>
        <p v-if="impact.devices > Math.min(100, impact.examples.length)" class="muted">and
          {{ impact.devices - Math.min(100, impact.examples.length) }} more</p>
      </details>
    </template>
    <p v-else-if="busy !== false" class="faint">Counting…</p>
  </div>
</template>

<style scoped>
/* Only a count that takes its time is worth a sign. */
.impact {
  transition: opacity 0s;
}
.counting {
  opacity: 0.5;
  transition-delay: 0.3s;
}
.big {
  font: 600 28px/36px var(--serif);
}
.counts {
  display: flex;
  gap: 14px;
  flex-wrap: wrap;
}
.watches {
  list-style: none;
  margin: 10px 0 0;
  padding: 0;
  border-top: 1px solid var(--rule);
}
.watches li {
  border-bottom: 1px solid var(--rule2);
  padding: 4px 0;
}
.watches button {
  text-align: left;
}
details {
  margin-top: 8px;
}
summary {
  cursor: pointer;
  color: var(--act);
}
.sign {
  display: inline-block;
  width: 14px;
  font-weight: 600;
}
.detail {
  padding: 4px 0 6px 18px;
}
.rule {
  font: 15px/21px var(--serif);
}
.gone {
  color: var(--ink2);
  text-decoration: line-through;
  text-decoration-color: var(--ink3);
}
.names {
  font-size: 13px;
  line-height: 19px;
}
</style>
