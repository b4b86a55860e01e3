<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElProgress } from 'element-plus/es/components/progress/index'
import 'element-plus/es/components/progress/style/css'
import { computed, ref, watch } from 'vue'
import type { CredentialView, Made, NewSweep, SweepPlanView, SweepView } from '#contract'
import { api } from '../../../parts/data/api'
import { allDevices } from '../../../parts/data/devices'
import { attempt, done } from '../../../parts/ui/notify'
import { useNewestFirst } from '../../../parts/data/parts'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import FaultLines from '../../../parts/ui/FaultLines.vue'
import { useChecked } from '../../../parts/ui/checked'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { exactText, fullText } from '../../../parts/format/time'
import PasswordsToUnknown from '../credentials/PasswordsToUnknown.vue'
import SweepHosts from './SweepHosts.vue'
import RunList from '../runs/RunList.vue'
import { useChosenRun } from '../runs/useChosenRun'
import TrialList from '../credentials/TrialList.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** What answers in the networks of a site, seen from a device there. */
const session = useSession()
const { data, error, refresh, hasMore, more } = useNewestFirst<SweepView>((query) => api.get(`/sweeps?${query}`), { topics: ['estate'] })
const plans = useResource(() => api.get<SweepPlanView[]>('/sweep-plans'), { topics: ['estate'] })
const sites = computed(() =>
  session.clients
    .filter((client) => session.inView(client.id))
    .flatMap((client) => client.sites.map((site) => ({ ...site, clientName: client.name }))),
)
const siteId = ref<number | null>(null)
const deviceId = ref<number | null>(null)
const network = ref('')
const credentials = useResource(() => api.get<CredentialView[]>('/credentials'))
const trials = ref<number[]>([])
const usable = computed(() =>
  (credentials.data.value ?? []).filter(
    (credential) => credential.clientId === site.value?.clientId && (credential.siteId === null || credential.siteId === siteId.value),
  ),
)
const passwordsToUnknown = ref(false)
const repeat = ref('')
const at = ref('03:00')
const site = computed(() => sites.value.find((candidate) => candidate.id === siteId.value))
const devices = useResource(
  async () => (site.value ? allDevices({ tasks: 'true', client: String(site.value.clientId) }) : []),
  { topics: ['estate'], sources: [siteId] },
)
const sweepers = computed(() => {
  const ofClient = (devices.data.value ?? []).filter(
    (device) => device.clientId === site.value?.clientId && !device.silent,
  )
  return [
    ...ofClient.filter((device) => device.siteName === site.value?.name),
    ...ofClient.filter((device) => device.siteName !== site.value?.name),
  ]
})
/** Begins where there are networks, and somebody to sweep them. */
const first = computed(
  () =>
    sites.value.find((candidate) => candidate.networks.length && candidate.helpers) ??
    sites.value.find((candidate) => candidate.networks.length) ??
    sites.value[0],
)
const touched = ref(false)
watch(
  first,
  (device) => {
    if (!touched.value || !sites.value.some((each) => each.id === siteId.value)) siteId.value = device?.id ?? null
  },
  { immediate: true },
)
watch(
  [siteId, sweepers],
  () => {
    if (!sweepers.value.some((sweeper) => sweeper.id === deviceId.value)) deviceId.value = sweepers.value[0]?.id ?? null
  },
  { immediate: true },
)
watch(
  siteId,
  () => {
    network.value = site.value?.networks[0] ?? ''
  },
  { immediate: true },
)
const repeats: Record<string, string> = {
  'FREQ=DAILY': 'every day',
  'FREQ=WEEKLY;BYDAY=MO': 'every Monday',
  'FREQ=WEEKLY;BYDAY=SU': 'every Sunday',
  'FREQ=MONTHLY;BYDAY=1SA': 'on the first Saturday of the month',
}
const chosen = useChosenRun(data)
const busy = ref(false)
const body = computed((): NewSweep => ({
  siteId: siteId.value ?? 0,
  deviceId: deviceId.value ?? 0,
  network: network.value.trim(),
  rule: repeat.value || null,
  at: repeat.value ? at.value : null,
  credentialIds: trials.value,
  passwordsToUnknown: repeat.value ? false : passwordsToUnknown.value,
}))
const { faults, send } = useChecked(async () => (await import('#contract')).newSweepSchema, () => body.value)
async function start(): Promise<void> {
  busy.value = true
  const made = await send(() => api.post<Made>('/sweeps', body.value))
  busy.value = false
  if (!made) return
  passwordsToUnknown.value = false
  if (repeat.value) done('Planned. What answers is listed here each time.')
  else chosen.value = made.id
  await Promise.all([refresh(), plans.refresh()])
}
async function end(plan: SweepPlanView): Promise<void> {
  if (!(await attempt(() => api.delete(`/sweep-plans/${plan.id}`)))) return
  done('It is not repeated any more.')
  await plans.refresh()
}
const shown = computed(() => (data.value ?? []).filter((sweep) => session.inView(sweep.clientId)))
const stateText = (sweep: SweepView) =>
  ({
    waiting: `waiting for ${sweep.deviceName} to take it`,
    running: `${sweep.scanned} of ${sweep.total} scanned`,
    failed: `stopped: ${sweep.reason}`,
    done: `all ${sweep.total} scanned`,
  })[sweep.state]
</script>

<template>
  <div>
    <form class="sentence" @submit.prevent="start">Sweep
      <ElInput v-model="network" class="mono" aria-label="Range" :aria-invalid="'network' in faults" placeholder="192.0.2.0/24" spellcheck="false" /> of
      <ChoiceField v-model="siteId" label="Site" @change="touched = true">
        <option v-for="site in sites" :key="site.id" :value="site.id">{{ site.clientName }} · {{ site.name }}</option>
      </ChoiceField> from
      <ChoiceField v-model="deviceId" label="From device">
        <option v-if="!sweepers.length" :value="null">no device whose agent takes tasks</option>
        <option v-for="sweeper in sweepers" :key="sweeper.id" :value="sweeper.id">{{ sweeper.name }}</option>
      </ChoiceField>
      <ChoiceField v-model="repeat" label="When">
        <option value="">now</option>
        <option v-for="(words, rule) in repeats" :key="rule" :value="rule">{{ words }}</option>
      </ChoiceField>
      <template v-if="repeat"> at <ElInput v-model="at" type="time" required aria-label="At" class="time" /> <span class="muted zone">{{ site?.zone }}</span></template>,
      <TrialList v-model="trials" :usable="usable" none="without signing in anywhere" />.
      <button class="btn main" :disabled="busy || !deviceId">{{ repeat ? 'Plan it' : 'Sweep' }}</button>
      <FaultLines :faults="faults" :fields="{ network: 'Range', siteId: 'Site', at: 'At' }" /></form>
    <PasswordsToUnknown v-if="!repeat" v-model="passwordsToUnknown" :trials="trials" :usable="usable" />
    <p v-if="site && !site.networks.length" class="muted">{{ site.name }} declares no networks, and nothing else may be
      swept. <RouterLink to="/rollout?part=newcomers">Declare them first.</RouterLink></p>
    <p v-for="plan in plans.data.value?.filter((each) => session.inView(each.clientId))" :key="plan.id" class="plan"><span class="mono">{{ plan.network }}</span>
      of {{ plan.clientName }} · {{ plan.siteName }} from <span class="mono">{{ plan.deviceName }}</span>
      {{ repeats[plan.rule] ?? plan.rule }}<template v-if="plan.nextAt">, next
        <span :title="exactText(plan.nextAt, plan.zone)">{{ fullText(plan.nextAt) }}</span></template><template v-else-if="plan.trouble">, not again: <span class="critical">{{ plan.trouble }}</span></template><template v-else>, not again</template> <button class="link" @click="end(plan)">stop repeating</button></p>
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !shown.length ? 'Nothing has been swept yet.' : ''"
      @again="refresh"
    />
    <RunList v-if="shown.length" v-model="chosen" label="Sweeps" :runs="shown" :has-more="hasMore" @more="more">
      <template #what="{ run }">
        <button class="link mono" :aria-pressed="chosen === run.id" @click="chosen = run.id">{{ run.network }}</button>
        <small>{{ run.clientName }} · {{ run.siteName }}, {{ fullText(run.startedAt) }}</small>
        <small :class="{ critical: run.state === 'failed' }">{{ stateText(run) }}</small>
        <ElProgress
          v-if="run.state === 'running'"
          :percentage="(100 * run.scanned) / Math.max(1, run.total)"
          :show-text="false"
          :stroke-width="5"
          :aria-label="`${run.scanned} of ${run.total}`"
        />
      </template>
      <template #count="{ run }"><b>{{ run.answered }}</b> answered<small>{{ run.unknown }} without agent</small></template>
      <SweepHosts v-if="chosen" :id="chosen" :key="chosen" />
    </RunList>
  </div>
</template>

<style scoped>
form {
  line-height: 34px;
  margin: 10px 0 8px;
}
input {
  width: 150px;
}
.time {
  width: 110px;
}
.zone {
  font: 13px var(--sans);
}
.plan {
  padding: 2px 0;
}
</style>
