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
const inForce = (one: WindowView) => isOpen(one, now.value)
async function end(one: WindowView): Promise<void> {
  if (await attempt(() => api.post(`/windows/${one.id}/end`)))
    done(one.from > now.value ? 'Called off.' : 'Ended. What still fails is raised now.')
}
</script>

<template>
  <table class="board">
    <colgroup><col class="mark"><col class="name"><col><col class="time"><col class="time"><col class="count"><col class="count"><col class="who"><col class="do"></colgroup>
    <thead><tr><th></th><th>Window</th><th>Holds</th><th>From</th><th>Until</th><th class="num">Devices</th><th class="num">Held</th><th>By</th><th></th></tr></thead>
    <tbody>
      <tr v-for="one in windows" :key="one.id">
        <td class="mark"><SeverityMark :state="inForce(one) ? 'held' : null" /></td>
        <td><RouterLink :to="`/maintenance/${one.id}`">{{ one.name }}</RouterLink></td>
        <td class="muted">{{ subjectText(one.subject) }} of {{ one.targetText }}</td>
        <td :title="exactText(one.from)">{{ fullText(one.from) }}</td>
        <td><span v-if="isCalledOff(one)" class="muted">called off by {{ one.endedBy }}</span><template v-else-if="windowEnd(one)"><span :title="exactText(windowEnd(one)!)">{{ fullText(windowEnd(one)!) }}</span><span v-if="one.endedAt" class="muted"> by {{ one.endedBy }}</span></template><span v-else class="warning">no end, for {{ age(one.from) }}</span></td>
        <td class="num">{{ one.deviceCount }}</td>
        <td class="num"><span v-if="inForce(one)" class="held">{{ one.heldNow }} now</span><template v-else>{{ one.heldTotal || '' }}</template></td>
        <td class="muted">{{ one.createdBy }}</td>
        <td class="num"><button v-if="session.mayChange && !isOver(one, now)" class="btn" @click="end(one)">{{ inForce(one) ? 'End now' : 'Call off' }}</button></td>
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
