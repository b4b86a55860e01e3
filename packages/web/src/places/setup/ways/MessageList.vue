<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { MessageView } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useNewestFirst } from '../../../parts/data/parts'
import { messageWords } from '../../../parts/format/calloutWords'
import { exactText, fullText } from '../../../parts/format/time'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { attempt, done } from '../../../parts/ui/notify'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'

/** What left, what waits, and what could not leave, to be sent again. */
defineProps<{ failed: number }>()
const which = ref<'' | 'waiting' | 'failed'>('')
const messages = useNewestFirst<MessageView & { id: number }>(
  async (query) =>
    (await api.get<MessageView[]>(`/messages?${query}${which.value ? `&state=${which.value}` : ''}`)).map((message) => ({
      ...message,
      id: message.number,
    })),
  { topics: ['callouts'] },
)
watch(which, () => void messages.refresh())
async function again({ number, to }: MessageView): Promise<void> {
  if (!(await attempt(() => api.post(`/messages/${number}/again`)))) return
  done(`The message to ${to} leaves again.`)
  await messages.refresh()
}
const shown = computed(() => messages.data.value ?? [])
const columns = [
  { key: 'at', title: 'When', width: 120 },
  { key: 'to', title: 'To', width: 160 },
  { key: 'subject', title: 'Says', grow: 3, width: 320 },
  { key: 'state', title: 'State', grow: 2, width: 240 },
] as const
</script>

<template>
  <section aria-label="Messages">
    <p class="head2"><span class="title">Messages</span>
      <ChoiceField v-model="which" label="Which messages"><option value="">all</option><option value="waiting">not gone yet</option><option value="failed">did not leave</option></ChoiceField>
      <span v-if="failed && which !== 'failed'" class="warning">{{ countText(failed, 'message') }} did not leave: <button class="link" @click="which = 'failed'">see which</button></span></p>
    <StateNotice :error="messages.error.value" :loading="!messages.data.value" :empty="messages.data.value && !shown.length ? 'None.' : ''" @again="messages.refresh" />
    <ShortTable v-if="shown.length" label="Messages" :rows="shown" :columns="columns" row-key="number" even>
      <template #at="{ row }"><time :title="exactText(row.sentAt ?? row.createdAt)">{{ fullText(row.sentAt ?? row.createdAt) }}</time></template>
      <template #to="{ row }">{{ row.to }} <span class="faint">{{ row.way }}</span></template>
      <template #subject="{ row }">{{ row.subject || countText(row.alerts, 'alert') }}</template>
      <template #state="{ row }"><span :class="{ warning: row.state === 'failed', muted: row.state === 'sent' }">{{ messageWords[row.state as MessageView['state']] }}</span><template v-if="row.state !== 'sent' && row.answer"><span class="faint">: {{ row.answer }}</span></template><template v-if="row.nextAt">{{ ' ' }}<span class="faint">leaves {{ fullText(row.nextAt) }}</span></template>
        <button v-if="row.state === 'failed'" class="link" :aria-label="`Send the message to ${row.to} again`" @click="again(row)">send it again</button></template>
    </ShortTable>
    <p v-if="messages.hasMore.value"><button class="link" @click="messages.more">older ones</button></p>
  </section>
</template>

<style scoped>
section {
  border-top: 1px solid var(--rule);
  padding: 8px 0 12px;
}
.head2 {
  display: flex;
  gap: 14px;
  align-items: center;
}
.title {
  font: 600 16px/22px var(--serif);
}
</style>
