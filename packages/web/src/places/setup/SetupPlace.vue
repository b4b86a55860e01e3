<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useSession } from '../../parts/data/session'
import PartTabs from '../../parts/ui/PartTabs.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import CalloutsPart from './callouts/CalloutsPart.vue'
import ClientsPart from './clients/ClientsPart.vue'
import PeoplePart from './people/PeoplePart.vue'
import HealthPart from './HealthPart.vue'
import SecretsPart from './SecretsPart.vue'
import StoragePart from './StoragePart.vue'
import TeamsPart from './teams/TeamsPart.vue'
import TokensPart from './tokens/TokensPart.vue'
import TrailPart from './trail/TrailPart.vue'
import WaysPart from './ways/WaysPart.vue'

/** Where a lead sets the house up. */
const session = useSession()
const route = useRoute()
const router = useRouter()
const parts = computed(() => [
  { name: 'callouts', title: 'Call-outs' },
  { name: 'teams', title: 'Teams and turns' },
  { name: 'ways', title: 'Mail and webhooks' },
  { name: 'people', title: 'People' },
  { name: 'clients', title: 'Clients and sites' },
  { name: 'tokens', title: 'Tokens' },
  { name: 'secrets', title: 'Secrets' },
  { name: 'trail', title: 'Audit trail' },
  // It is decided for every client alike.
  ...(session.person?.clientIds === null ? [
        { name: 'storage', title: 'Storage' },
        { name: 'health', title: 'Health' },
      ] : []),
])
const part = computed(() => parts.value.find((tab) => tab.name === route.query.part)?.name ?? 'callouts')
const go = (name: string) => void router.replace({ query: { part: name } })
</script>

<template>
  <div class="page">
    <div class="head"><h1>Setup</h1><span class="muted">who is told, people, clients, and what was done</span></div>
    <StateNotice v-if="!session.isLead" :error="null" :loading="false" empty="This is a lead’s to decide. Ask one of yours." />
    <template v-else>
      <PartTabs label="Parts of Setup" :model-value="part" :tabs="parts" @update:model-value="go" />
      <CalloutsPart v-if="part === 'callouts'" />
      <TeamsPart v-else-if="part === 'teams'" />
      <WaysPart v-else-if="part === 'ways'" />
      <PeoplePart v-else-if="part === 'people'" />
      <ClientsPart v-else-if="part === 'clients'" />
      <TokensPart v-else-if="part === 'tokens'" />
      <SecretsPart v-else-if="part === 'secrets'" />
      <TrailPart v-else-if="part === 'trail'" />
      <StoragePart v-else-if="part === 'storage'" />
      <HealthPart v-else />
    </template>
  </div>
</template>
