<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { FeedView, MadeFeed, NewFeed } from '#contract'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { age, exactText } from '../../../parts/format/time'
import { useChecked } from '../../../parts/ui/checked'
import { confirmed } from '../../../parts/ui/confirm'
import { attempt, done } from '../../../parts/ui/notify'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import FaultLines from '../../../parts/ui/FaultLines.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** Secret addresses under which a calendar reads what is planned, for as long as they are not revoked. */
const session = useSession()
const feeds = useResource(() => api.get<FeedView[]>('/calendar-feeds'))
const clientId = ref<number | null>(session.clientId)
const label = ref('')
const address = ref('')
const body = (): NewFeed => ({ clientId: clientId.value, label: label.value.trim() })
const { faults, send } = useChecked(async () => (await import('#contract')).newFeedSchema, body)
async function make(): Promise<void> {
  const made = await send(() => api.post<MadeFeed>('/calendar-feeds', body()))
  if (!made) return
  address.value = `${location.origin}${made.path}`
  label.value = ''
  void feeds.refresh()
}
async function revoke(feed: FeedView): Promise<void> {
  if (!(await confirmed(`Revoke “${feed.label}”? Calendars that read it show nothing new any more.`, 'Revoke'))) return
  if (await attempt(() => api.delete(`/calendar-feeds/${feed.id}`))) done('Revoked.')
  void feeds.refresh()
}
const copied = ref(false)
async function copy(): Promise<void> {
  await navigator.clipboard.writeText(address.value)
  copied.value = true
}
const isMine = computed(() => (feed: FeedView) => feed.person === session.person?.name)
const columns = [
  { key: 'label', title: 'Feed' },
  { key: 'client', title: 'Of' },
  { key: 'person', title: 'By' },
  { key: 'made', title: 'Made' },
  { key: 'read', title: 'Last read' },
  { key: 'acts', align: 'right', tight: true },
] as const
</script>

<template>
  <section>
    <h2>As a feed</h2>
    <p class="muted">A calendar reads the address again and again. Whoever has it sees what is planned, no more than its
      person may see. It is shown once.</p>
    <form @submit.prevent="make">
      <p class="sentence">Make a feed of
        <ChoiceField v-model="clientId" label="Client">
          <option :value="null">every client that I see</option>
          <option v-for="client in session.clients" :key="client.id" :value="client.id">{{ client.name }}</option>
        </ChoiceField> for
        <ElInput
          v-model="label"
          aria-label="For"
          placeholder="the wall in the workshop"
          maxlength="100"
          style="width: 260px"
        />
        <button class="btn main">Make it</button></p>
      <FaultLines :faults="faults" :fields="{ label: 'For', clientId: 'Client' }" />
    </form>
    <p
      v-if="address"
      class="made"
      role="status"
    >Its address, which is not shown again: <span class="mono">{{ address }}</span>
      <button class="btn" @click="copy">{{ copied ? 'Copied' : 'Copy' }}</button></p>
    <ShortTable v-if="feeds.data.value?.length" label="Feeds" :rows="feeds.data.value" :columns="columns" row-key="id">
      <template #label="{ row }">{{ row.label }}</template>
      <template #client="{ row }">{{ row.clientName ?? 'every client' }}</template>
      <template #person="{ row }"><span :class="{ muted: !isMine(row) }">{{ row.person }}</span></template>
      <template #made="{ row }"><span :title="exactText(row.createdAt)">{{ age(row.createdAt) }} ago</span></template>
      <template #read="{ row }"><span
        v-if="row.readAt"
        :title="exactText(row.readAt)"
      >{{ age(row.readAt) }} ago</span><span v-else class="faint">never</span></template>
      <template #acts="{ row }"><button class="btn" @click="revoke(row)">Revoke</button></template>
    </ShortTable>
    <p v-else-if="feeds.data.value" class="muted">No feed is in use.</p>
  </section>
</template>

<style scoped>
section {
  margin-top: 14px;
}
.made {
  border-left: 3px solid var(--act);
  padding: 4px 10px;
  margin: 8px 0;
  overflow-wrap: anywhere;
}
.btn {
  padding: 0 9px;
}
</style>
