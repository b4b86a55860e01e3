<script setup lang="ts">
import { countText } from '#core'
import type { Impact } from '#contract'

defineProps<{ impact: Impact | null; title: string }>()
</script>

<template>
  <div class="impact" aria-live="polite">
    <p class="muted">{{ title }}</p>
    <template v-if="impact">
      <p class="big">{{ countText(impact.devices, 'device') }}</p>
      <p class="muted"><template v-if="impact.devices">at {{ countText(impact.clients, 'client') }}<template v-if="impact.keepOwn">; {{ impact.keepOwn }} with exceptions of their own</template></template><template v-else>No device would change. It may be saved all the same.</template></p>
      <table v-if="impact.devices"><tbody><tr><td>Watches added</td><td>{{ impact.added }}</td></tr><tr><td>removed</td><td>{{ impact.removed }}</td></tr><tr><td>altered</td><td>{{ impact.altered }}</td></tr></tbody></table>
      <details v-if="impact.examples.length"><summary>Which devices</summary>
        <p v-for="one in impact.examples.slice(0, 60)" :key="one.deviceId"><RouterLink class="mono" :to="`/estate/${one.deviceId}#roster`">{{ one.deviceName }}</RouterLink> <span class="muted">{{ one.changes.map((change) => `${change.name} ${change.change}`).join(', ') }}</span></p>
      </details>
    </template>
    <p v-else class="faint">Counting…</p>
  </div>
</template>

<style scoped>
.big { font: 600 28px/36px var(--serif); } table { margin: 10px 0; width: 100%; } td:last-child { text-align: right; font-weight: 600; } summary { cursor: pointer; color: var(--act); }
</style>
