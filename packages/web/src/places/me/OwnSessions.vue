<script setup lang="ts">
import { computed } from 'vue'
import Bowser from 'bowser'
import type { SessionListed, SessionsEnded } from '#contract'
import { countText } from '#core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { exactText, fullText } from '../../parts/format/time'
import { attempt, done } from '../../parts/ui/notify'
import AgeText from '../../parts/ui/AgeText.vue'
import ShortTable from '../../parts/ui/ShortTable.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'

/** Where one is signed in; each can be ended, but the one that one looks at. */
const { data, error, refresh } = useResource(() => api.get<SessionListed[]>('/sessions'), { topics: ['people'] })
const shown = computed(() => data.value ?? [])
const others = computed(() => shown.value.filter(({ isThis }) => !isThis).length)
/** The name of a browser and its system, as far as it can be told. */
function browserText(text: string): string {
  if (!text) return 'a program'
  const { browser, os } = Bowser.parse(text)
  return [browser.name, os.name ? `on ${os.name}` : ''].filter(Boolean).join(' ') || text.slice(0, 60)
}
async function end(id: number): Promise<void> {
  if (!(await attempt(() => api.delete(`/sessions/${id}`)))) return
  done('Ended: nobody is signed in there any more.')
  await refresh()
}
async function endOthers(): Promise<void> {
  const answer = await attempt(() => api.delete<SessionsEnded>('/sessions'))
  if (!answer) return
  done(`Ended ${countText(answer.ended, 'session')}. You are signed in here alone.`)
  await refresh()
}
const columns = [
  { key: 'browser', title: 'With' },
  { key: 'address', title: 'From' },
  { key: 'used', title: 'Used' },
  { key: 'created', title: 'Signed in' },
  { key: 'expires', title: 'Ends by itself' },
  { key: 'acts', align: 'right' },
] as const
</script>

<template>
  <div>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <ShortTable v-if="shown.length" label="Where you are signed in" :rows="shown" :columns="columns" row-key="id">
      <template #browser="{ row }"><span :title="row.browser">{{ browserText(row.browser) }}</span><b v-if="row.isThis"> this one</b></template>
      <template #address="{ row }"><span class="mono">{{ row.address }}</span></template>
      <template #used="{ row }"><template v-if="row.isThis">now</template><template v-else-if="row.usedAt"><AgeText :at="row.usedAt" /> ago</template></template>
      <template #created="{ row }"><span class="muted" :title="exactText(row.createdAt)">{{ fullText(row.createdAt) }}</span></template>
      <template #expires="{ row }"><span class="muted" :title="exactText(row.expiresAt)">{{ fullText(row.expiresAt) }}</span></template>
      <template #acts="{ row }"><button v-if="!row.isThis" class="link" @click="end(row.id)">end</button></template>
    </ShortTable>
    <p v-if="others > 1"><button class="btn" @click="endOthers">End the {{ others }} others</button></p>
  </div>
</template>
