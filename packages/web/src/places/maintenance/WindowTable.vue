<script setup lang="ts">
import type { WindowView } from '#contract'
import { isCalledOff, isOpen, isOver, windowEnd } from '#core'
import { api } from '../../parts/data/api'
import { attempt, done } from '../../parts/ui/notify'
import { useSession } from '../../parts/data/session'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import { age, exactText, fullText, now } from '../../parts/format/time'
import { subjectText } from './subjectWords'

defineProps<{ windows: WindowView[] }>()
defineEmits<{ open: [id: number] }>()
const session = useSession()
const inForce = (window: WindowView) => isOpen(window, now.value)
async function end(window: WindowView): Promise<void> {
  if (await attempt(() => api.post(`/windows/${window.id}/end`)))
    done(window.from > now.value ? 'Cancelled.' : 'Ended. What still fails is raised now.')
}
</script>

<template>
  <table class="board">
    <colgroup>
      <col class="mark">
      <col class="name">
      <col>
      <col class="time">
      <col class="time">
      <col class="count">
      <col class="count">
      <col class="who">
      <col class="do">
    </colgroup>
    <thead>
      <tr>
        <th></th>
        <th>Window</th>
        <th>Holds</th>
        <th>From</th>
        <th>Until</th>
        <th class="num">Devices</th>
        <th class="num">Held</th>
        <th>By</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="window in windows" :key="window.id">
        <td class="mark"><SeverityMark :state="inForce(window) ? 'held' : null" /></td>
        <td><RouterLink :to="`/maintenance/${window.id}`">{{ window.name }}</RouterLink></td>
        <td class="muted">{{ subjectText(window.subject) }} of {{ window.targetText }}</td>
        <td :title="exactText(window.from)">{{ fullText(window.from) }}</td>
        <td>
          <span v-if="isCalledOff(window)" class="muted">cancelled by {{ window.endedBy }}</span>
          <template v-else-if="windowEnd(window)">
            <span :title="exactText(windowEnd(window)!)">{{ fullText(windowEnd(window)!) }}</span>
            <span v-if="window.endedAt" class="muted"> by {{ window.endedBy }}</span>
          </template>
          <span v-else class="warning">no end, for {{ age(window.from) }}</span>
        </td>
        <td class="num">{{ window.deviceCount }}</td>
        <td class="num">
          <span v-if="inForce(window)" class="held">{{ window.heldNow }} now</span>
          <template v-else>{{ window.heldTotal || '' }}</template>
        </td>
        <td class="muted">{{ window.createdBy }}</td>
        <td class="num">
          <button v-if="session.mayChange && !isOver(window, now)" class="btn" @click="end(window)">{{ inForce(window) ? 'End now' : 'Cancel it' }}</button>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
table {
  table-layout: fixed;
}
.mark {
  width: 34px;
}
.name {
  width: 230px;
}
.time {
  width: 150px;
}
.count {
  width: 66px;
}
.who {
  width: 120px;
}
.do {
  width: 96px;
}
td {
  overflow: hidden;
  text-overflow: ellipsis;
}
.btn {
  padding: 0 9px;
}
</style>
