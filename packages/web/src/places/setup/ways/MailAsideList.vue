<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import type { MailAside, RequestPage } from '#contract'
import { api } from '../../../parts/data/api'
import { useNewestFirst } from '../../../parts/data/parts'
import { askerText, fateWords, subjectText } from '../../../parts/format/requestWords'
import { exactText, fullText } from '../../../parts/format/time'
import { attempt } from '../../../parts/ui/notify'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'

/** Mails that became no request, and why; somebody may think otherwise. */
const router = useRouter()
const mails = useNewestFirst<MailAside>((query) => api.get<MailAside[]>(`/mail-aside?${query}`), { topics: ['requests'] })
const shown = computed(() => mails.data.value ?? [])
async function make({ id }: MailAside): Promise<void> {
  const request = await attempt(() => api.post<RequestPage>(`/mail-aside/${id}/request`))
  if (request) await router.push(`/requests/${request.id}`)
}
const columns = [
  { key: 'at', title: 'When', width: 120 },
  { key: 'from', title: 'From', grow: 1, width: 200 },
  { key: 'subject', title: 'Says', grow: 2, width: 300 },
  { key: 'why', title: 'Why it is none', width: 200 },
  { key: 'acts', width: 160, align: 'right' },
] as const
</script>

<template>
  <div>
    <StateNotice :error="mails.error.value" :loading="!mails.data.value" :empty="mails.data.value && !shown.length ? 'None: every mail became a request.' : ''" @again="mails.refresh" />
    <ShortTable v-if="shown.length" label="Mails that became no request" :rows="shown" :columns="columns" row-key="id" even>
      <template #at="{ row }"><time :title="exactText(row.cameAt)">{{ fullText(row.cameAt) }}</time></template>
      <template #from="{ row }">{{ askerText(row) }}</template>
      <template #subject="{ row }"><span :title="row.text">{{ subjectText(row) }}</span></template>
      <template #why="{ row }">{{ fateWords[row.became as MailAside['became']] }}</template>
      <template #acts="{ row }"><button class="link" :aria-label="`Make a request of “${subjectText(row)}”`" @click="make(row)">make a request of it</button></template>
    </ShortTable>
    <p v-if="mails.hasMore.value"><button class="link" @click="mails.more">older ones</button></p>
  </div>
</template>
