<script setup lang="ts">
import { ref } from 'vue'
import type { TokenListed } from '#contract'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { exactText, fullText, now } from '../../../parts/format/time'
import { confirmed } from '../../../parts/ui/confirm'
import { attempt, done } from '../../../parts/ui/notify'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import TokenDialog from './TokenDialog.vue'
import { scopeWords } from './scopeWords'

/** By what programs ask, in whose name, and when they last did. */
const session = useSession()
const { data, error, refresh } = useResource(() => api.get<TokenListed[]>('/tokens'), { topics: ['people'] })
const making = ref(false)
const soon = 14 * 86_400_000
const seen = (clientIds: readonly number[] | null) =>
  clientIds === null
    ? 'whatever they see'
    : clientIds.map((id) => session.clients.find((client) => client.id === id)?.name ?? `client ${id}`).join(', ')
async function revoke({ id, name }: TokenListed): Promise<void> {
  if (!(await confirmed(`Whatever asks by “${name}” is refused from now on.`, 'Revoke'))) return
  if (!(await attempt(() => api.delete(`/tokens/${id}`)))) return
  done(`“${name}” is revoked.`)
  await refresh()
}
const columns = [
  { key: 'name', title: 'Token', grow: 2, width: 200, sortBy: ({ name }: TokenListed) => name },
  { key: 'person', title: 'In the name of', width: 150, sortBy: ({ person }: TokenListed) => person },
  { key: 'scope', title: 'May', grow: 1, width: 190 },
  { key: 'clients', title: 'Sees', grow: 1, width: 170 },
  { key: 'used', title: 'Last used', width: 190, sortBy: ({ usedAt }: TokenListed) => usedAt ?? 0 },
  { key: 'expires', title: 'Expires', width: 130, sortBy: ({ expiresAt }: TokenListed) => expiresAt },
  { key: 'acts', width: 70, align: 'right' },
] as const
</script>

<template>
  <div>
    <p class="tools"><button class="btn main" @click="making = true">Make a token</button>
      <RouterLink to="/reference">What programs can ask</RouterLink></p>
    <StateNotice :error="error" :loading="!data" :empty="data && !data.length ? 'No program asks anything yet.' : ''" @again="refresh" />
    <ShortTable v-if="data?.length" label="Tokens" :rows="data" :columns="columns" row-key="id" sort-name="order">
      <template #name="{ row }"><b>{{ row.name }}</b></template>
      <template #person="{ row }">{{ row.person }}</template>
      <template #scope="{ row }">{{ scopeWords[row.scope as TokenListed['scope']] }}</template>
      <template #clients="{ row }"><span :class="{ muted: row.clientIds === null }">{{ seen(row.clientIds) }}</span></template>
      <template #used="{ row }"><span v-if="row.usedAt" :title="exactText(row.usedAt)">{{ fullText(row.usedAt) }} <span class="faint">from {{ row.usedFrom }}</span></span><span v-else class="faint">never</span></template>
      <template #expires="{ row }"><span :class="{ warning: row.expiresAt < now + soon }" :title="exactText(row.expiresAt)">{{ fullText(row.expiresAt) }}</span></template>
      <template #acts="{ row }"><button class="link" :aria-label="`Revoke ${row.name}`" @click="revoke(row)">revoke</button></template>
    </ShortTable>
    <TokenDialog v-if="making" @close="making = false" @changed="refresh" />
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 16px;
  align-items: center;
  margin: 12px 0;
}
</style>
