<script setup lang="ts">
import { ref } from 'vue'
import type { DevicePage } from '#contract'
import { countText } from '#core'
import AgeText from '../../parts/ui/AgeText.vue'

/** What of a device's reports could not be kept, with the reason and what was sent; and what never came. */
defineProps<{ device: DevicePage }>()
const isOpen = ref(false)
</script>

<template>
  <p v-if="device.lostReports || device.leftOutEntries || device.oldEntries" class="note muted">
    <span v-if="device.lostReports">{{ countText(device.lostReports, 'report') }} never came. </span>
    <span v-if="device.leftOutEntries">{{ countText(device.leftOutEntries, 'log entry', 'log entries') }} left out,
      because more came at once than an agent tells; the most urgent were kept. </span>
    <span v-if="device.oldEntries">{{ countText(device.oldEntries, 'log entry was', 'log entries were') }} older than is
      kept.</span>
  </p>
  <div v-if="device.refusedCount" class="note warning">{{ countText(device.refusedCount, 'part') }} of its reports could
    not be kept; the rest was.
    <button v-if="device.refused.length" class="link" :aria-expanded="isOpen" @click="isOpen = !isOpen">{{ isOpen ? 'Hide' : `Show the newest ${device.refused.length}` }}</button>
    <ul v-if="isOpen">
      <li v-for="part in device.refused" :key="part.id">
        <span class="muted"><AgeText :at="part.at" /> ago,
          {{ part.seq === null ? 'a report without a number' : `report ${part.seq}` }},
          <span class="mono">{{ part.pointer }}</span></span>
        <span class="why">{{ part.detail }}</span>
        <details>
          <summary>What was sent, {{ countText(part.body.length, 'character') }}</summary>
          <pre class="mono">{{ part.body }}</pre>
        </details>
      </li>
    </ul></div>
</template>

<style scoped>
.note {
  padding: 4px 0;
}
ul {
  list-style: none;
  margin: 4px 0;
  padding: 0;
  color: var(--ink);
}
li {
  padding: 5px 0;
  border-top: 1px solid var(--rule2);
}
.why {
  display: block;
  overflow-wrap: anywhere;
}
pre {
  max-height: 160px;
  overflow: auto;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  margin: 4px 0;
}
summary {
  cursor: pointer;
  color: var(--act);
}
</style>
