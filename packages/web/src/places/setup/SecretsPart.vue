<script setup lang="ts">
import { computed } from 'vue'
import type { SecretKind, SecretListed } from '#contract'
import { countText } from '#core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { exactText, fullText } from '../../parts/format/time'
import ShortTable from '../../parts/ui/ShortTable.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'

/** Secrets by name: where each is used, and when last. What they are nobody is told. */
const { data, error, refresh } = useResource(() => api.get<SecretListed[]>('/secrets'), { topics: ['callouts', 'estate'] })
const secrets = computed(() => (data.value ?? []).map((secret, i) => ({ ...secret, id: i })))
const kindWords: Record<SecretKind, string> = {
  credential: 'sign-in at machines',
  mail: 'sign-in at the mail server',
  webhook: 'signs what a webhook gets',
  provider: 'sign-in by the identity provider',
}
/** Where one of its kind is changed. */
const changedAt: Record<SecretKind, string> = {
  credential: '/rollout?part=sweep',
  mail: '/setup?part=ways',
  webhook: '/setup?part=ways',
  provider: '/setup?part=people',
}
const useText = ({ kind, plans, runs }: SecretListed) =>
  kind === 'credential'
    ? [plans ? countText(plans, 'planned sweep') : '', runs ? countText(runs, 'wave that runs', 'waves that run') : ''].filter(Boolean).join(', ') || 'nothing at present'
    : ''
const columns = [
  { key: 'name', title: 'Secret', grow: 2, width: 240 },
  { key: 'kind', title: 'For', grow: 1, width: 200 },
  { key: 'client', title: 'Client', grow: 1, width: 160 },
  { key: 'use', title: 'Used by', grow: 1, width: 180 },
  { key: 'last', title: 'Last used', width: 140 },
  { key: 'acts', width: 90, align: 'right' },
] as const
</script>

<template>
  <div>
    <StateNotice :error="error" :loading="!data" :empty="data && !secrets.length ? 'None is kept.' : ''" @again="refresh" />
    <ShortTable v-if="secrets.length" label="Secrets" :rows="secrets" :columns="columns" row-key="id">
      <template #name="{ row }">{{ row.name }}</template>
      <template #kind="{ row }">{{ kindWords[row.kind as SecretKind] }}</template>
      <template #client="{ row }">{{ row.clientName || 'the house' }}</template>
      <template #use="{ row }"><span class="muted">{{ useText(row) }}</span></template>
      <template #last="{ row }"><time v-if="row.usedAt" :title="exactText(row.usedAt)">{{ fullText(row.usedAt) }}</time><span v-else class="faint">not yet</span></template>
      <template #acts="{ row }"><RouterLink :to="changedAt[row.kind as SecretKind] ?? '/setup'" :aria-label="`Change ${row.name}`">change</RouterLink></template>
    </ShortTable>
    <p v-if="secrets.length" class="faint">They are sealed by a key that is not in the database, and never shown again.</p>
  </div>
</template>
