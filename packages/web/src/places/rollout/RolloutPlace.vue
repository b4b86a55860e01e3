<script setup lang="ts">
import { computed, ref, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { RoleFindingPage } from '#contract'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import CoveragePart from './coverage/CoveragePart.vue'
import { useCoverage } from './coverage/useCoverage'
import KeysPart from './enrolment/KeysPart.vue'
import NewcomersPart from './enrolment/NewcomersPart.vue'
import RetiredPart from '../estate/RetiredPart.vue'
import RolesPart from './roles/RolesPart.vue'
import SweepPart from './sweeps/SweepPart.vue'
import VersionsPart from './updates/VersionsPart.vue'
import WavesPart from './waves/WavesPart.vue'
import SavedViews from '../../parts/ui/SavedViews.vue'
import { useClientInAddress } from '../../parts/data/clientInAddress'
import PartTabs from '../../parts/ui/PartTabs.vue'

const session = useSession()
const route = useRoute()
const router = useRouter()
useClientInAddress()
const parts = [
  { name: 'keys', title: 'By hand' },
  { name: 'sweep', title: 'Sweep' },
  { name: 'waves', title: 'Waves' },
  { name: 'newcomers', title: 'Newcomers' },
  { name: 'roles', title: 'Roles seen' },
  { name: 'coverage', title: 'Coverage' },
  { name: 'versions', title: 'Versions' },
  { name: 'retired', title: 'Out of use' },
] as const
const part = computed(() => parts.find((tab) => tab.name === route.query.part)?.name ?? 'keys')
/** Of each role; all of them once somebody asks. */
const most = ref(100)
const findings = useResource(
  () =>
    api.get<RoleFindingPage>(
      `/role-findings?limit=${most.value}${session.clientId === null ? '' : `&client=${session.clientId}`}`,
    ),
  { topics: ['policy', 'estate'], sources: [toRef(session, 'clientId'), most] },
)
const coverage = useCoverage()
const countOf = (name: string) => ({ roles: findings.data.value?.total, coverage: coverage.data.value?.total })[name] || ''
const go = (name: string) => void router.replace({ query: { part: name } })
</script>

<template>
  <div class="page">
    <div class="head"><h1>Rollout</h1><span class="muted">how machines come in, and what they get</span><span class="end"><SavedViews place="rollout" /></span></div>
    <PartTabs
      label="Parts of Rollout"
      :model-value="part"
      :tabs="parts.map((tab) => ({ ...tab, count: countOf(tab.name) }))"
      @update:model-value="go"
    />
    <KeysPart v-if="part === 'keys'" />
    <SweepPart v-else-if="part === 'sweep'" />
    <WavesPart v-else-if="part === 'waves'" />
    <NewcomersPart v-else-if="part === 'newcomers'" />
    <RolesPart v-else-if="part === 'roles'" :findings="findings" @more="most = 20_000" />
    <CoveragePart v-else-if="part === 'coverage'" :coverage="coverage" />
    <VersionsPart v-else-if="part === 'versions'" />
    <RetiredPart v-else />
  </div>
</template>
