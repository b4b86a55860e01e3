<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElInputNumber } from 'element-plus/es/components/input-number/index'
import 'element-plus/es/components/input-number/style/css'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import type { CredentialView, Made, MachinesRead, NewWaveRun, Role, SweepPage, SweepView } from '#contract'
import { countText, inNetwork, readNetwork } from '#core'
import { useAnswer } from '../../../parts/data/answer'
import { api } from '../../../parts/data/api'
import { allDevices, devicesOf } from '../../../parts/data/devices'
import { attempt } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import PasswordsToUnknown from '../credentials/PasswordsToUnknown.vue'
import TrialList from '../credentials/TrialList.vue'
import FaultLines from '../../../parts/ui/FaultLines.vue'
import { useChecked } from '../../../parts/ui/checked'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** Which machines, how to sign in there, and how many at first. */
const emit = defineEmits<{ started: [id: number]; close: [] }>()
const session = useSession()
const roles = useResource(() => api.get<Role[]>('/roles'))
const sweeps = useResource(() => api.get<SweepView[]>('/sweeps'))
const credentials = useResource(() => api.get<CredentialView[]>('/credentials'))
const sites = computed(() =>
  session.clients
    .filter((client) => session.inView(client.id))
    .flatMap((client) => client.sites.map((site) => ({ ...site, clientName: client.name }))),
)
const csv = ref('')
const siteId = ref<number>(sites.value.find((candidate) => candidate.networks.length)?.id ?? sites.value[0]?.id ?? 0)
const site = computed(() => sites.value.find((candidate) => candidate.id === siteId.value))
/** Begins where there is somebody to go. */
const touched = ref(false)
siteId.value = sites.value.find((candidate) => candidate.networks.length && candidate.helpers)?.id ?? siteId.value
const helpers = useResource(
  async () => (site.value ? allDevices({ tasks: 'true', client: String(site.value.clientId) }) : []),
  { sources: [siteId] },
)
const ofClient = computed(() =>
  (helpers.data.value ?? []).filter((device) => device.clientId === site.value?.clientId && !device.silent),
)
const deviceId = ref<number | null>(null)
watch(
  ofClient,
  (list) => {
    if (!list.some((device) => device.id === deviceId.value))
      deviceId.value = (list.find((device) => device.siteName === site.value?.name) ?? list[0])?.id ?? null
  },
  { immediate: true },
)
const {
  answer: listed,
  error: unread,
  asking: reading,
} = useAnswer(csv, (text) =>
  text.trim() ? api.post<MachinesRead>('/machine-lists', { csv: text }) : null,
)
const read = computed(() => listed.value ?? { machines: [], faults: [] })
/**
 * What a sweep found without an agent and with a way in, SSH or Windows' remote management over TLS, as lines to edit.
 */
async function fromSweep(id: number): Promise<void> {
  const sweep = await attempt(() => api.get<SweepPage>(`/sweeps/${id}`))
  if (!sweep) return
  siteId.value = sweep.siteId
  csv.value = [
    'name,address',
    ...sweep.hosts
      .filter((host) => !host.device && (host.ports.includes(22) || host.ports.includes(5986)))
      .map((host) => `${host.name?.split('.')[0] ?? ''},${host.address}`),
  ].join('\n')
}
/** Devices chosen in Estate, of one site at a time, by the first of their addresses that lies in its networks. */
const takeOver = ref(false)
const leftOut = ref('')
const { devices: chosenIds, sweep: fromWhich } = useRoute().query
if (typeof fromWhich === 'string' && /^\d{1,9}$/.test(fromWhich)) void fromSweep(Number(fromWhich))
const chosenRows = useResource(async () =>
  typeof chosenIds === 'string' && chosenIds
    ? devicesOf(chosenIds.split(',').map(Number))
    : null,
)
watch(chosenRows.data, (chosen) => {
  if (!chosen || csv.value) return
  const first = sites.value.find((candidate) => candidate.clientId === chosen[0]?.clientId && candidate.name === chosen[0].siteName)
  if (!first) return
  siteId.value = first.id
  const networks = first.networks.map(readNetwork).filter((network) => network !== null)
  const reachable = chosen
    .filter((device) => device.clientId === first.clientId && device.siteName === first.name)
    .map((device) => ({
      name: device.name,
      address: device.addresses.find((address) => networks.some((network) => inNetwork(address, network))),
    }))
    .filter((device) => device.address !== undefined)
  csv.value = ['name,address', ...reachable.map((device) => `${device.name},${device.address}`)].join('\n')
  takeOver.value = true
  if (reachable.length < chosen.length)
    leftOut.value = `${countText(chosen.length - reachable.length, 'chosen device')} left out: a run goes to one site, and only to addresses within its networks that an agent has told.`
})
const usable = computed(() =>
  (credentials.data.value ?? []).filter(
    (credential) => credential.clientId === site.value?.clientId && (credential.siteId === null || credential.siteId === siteId.value),
  ),
)
const trials = ref<number[]>([])
const passwordsToUnknown = ref(false)
const name = ref('')
const role = ref('')
const tags = ref('')
const sizes = ref('2, 5')
const mostFailed = ref(20)
const hours = ref('')
function body(): NewWaveRun {
  const [from, until] = hours.value ? hours.value.split('-').map(Number) : [null, null]
  return {
    siteId: siteId.value,
    deviceId: deviceId.value ?? 0,
    name: name.value.trim() || `Agents for ${site.value?.name}`,
    kind: 'server',
    roles: role.value ? [role.value] : [],
    tags: tags.value
      .split(',')
      .map((part) => part.trim())
      .filter(Boolean),
    machines: read.value.machines,
    credentialIds: trials.value,
    waves: sizes.value
      .split(/[\s,]+/)
      .map(Number)
      .filter((size) => size > 0),
    mostFailed: mostFailed.value / 100,
    hoursFrom: from ?? null,
    hoursUntil: until ?? null,
    takeOver: takeOver.value,
    passwordsToUnknown: passwordsToUnknown.value,
  }
}
const { faults, send } = useChecked(async () => (await import('#contract')).newWaveRunSchema, body)
async function start(): Promise<void> {
  const made = await send(() => api.post<Made>('/wave-runs', body()))
  if (made) emit('started', made.id)
}
</script>

<template>
  <form class="wave" aria-label="Send agents out" @submit.prevent="start">
    <p class="sentence">To machines of
      <ChoiceField v-model="siteId" label="Site" @change="touched = true">
        <option v-for="site in sites" :key="site.id" :value="site.id">{{ site.clientName }} · {{ site.name }}</option>
      </ChoiceField> from
      <ChoiceField v-model="deviceId" label="From device">
        <option v-if="!ofClient.length" :value="null">no device whose agent takes tasks</option>
        <option v-for="device in ofClient" :key="device.id" :value="device.id">{{ device.name }}</option>
      </ChoiceField>, <TrialList v-model="trials" :usable="usable" none="signing in with which?" />: first
      <ElInput v-model="sizes" class="short" aria-label="Sizes of the first waves" :aria-invalid="'waves' in faults" />, then the rest, if at most
      <ElInputNumber v-model="mostFailed" :min="0" :max="100" class="short" aria-label="Failures allowed" :controls="false" size="small" /> %
      of a wave failed,
      <ChoiceField v-model="hours" label="Hours">
        <option value="">at any hour</option>
        <option value="20-6">between 20 and 6 o’clock there</option>
        <option value="8-18">between 8 and 18 o’clock there</option>
      </ChoiceField>. They get
      <ChoiceField v-model="role" label="Role">
        <option value="">no role yet</option>
        <option v-for="role in roles.data.value" :key="role.id" :value="role.id">the role {{ role.name }}</option>
      </ChoiceField> and <ElInput v-model="tags" aria-label="Tags" placeholder="no tags" />. Call it
      <ElInput v-model="name" aria-label="Name" :placeholder="`Agents for ${site?.name ?? ''}`" />.</p>
    <FaultLines
      :faults="faults"
      :fields="{
        siteId: 'Site',
        deviceId: 'From device',
        waves: 'Sizes of the first waves',
        mostFailed: 'Failures allowed',
        tags: 'Tags',
        name: 'Name',
      }"
    />
    <PasswordsToUnknown v-model="passwordsToUnknown" :trials="trials" :usable="usable" />
    <div class="two">
      <label>Machines, a name and an address a line (CSV)<ElInput type="textarea" v-model="csv" class="mono" :rows="7" spellcheck="false" placeholder="name,address&#10;tm-gate-3,192.0.2.17" /></label>
      <div>
        <p v-if="sweeps.data.value?.some((sweep) => sweep.unknown)" class="muted">or those without an agent that a sweep
          found</p>
        <p
          v-for="sweep in sweeps.data.value?.filter((each) => each.unknown && session.inView(each.clientId)).slice(0, 4)"
          :key="sweep.id"
        >
          <button type="button" class="link" @click="fromSweep(sweep.id)">{{ sweep.network }} of {{ sweep.siteName }},
            {{ sweep.unknown }}</button>
        </p>
        <ElCheckbox v-model="takeOver">those named like devices here are those devices, reinstalled</ElCheckbox>
        <p v-if="leftOut" class="warning">{{ leftOut }}</p>
        <p class="big">{{ countText(read.machines.length, 'machine') }}</p>
        <p v-for="fault in read.faults.slice(0, 6)" :key="fault.line" class="critical" role="alert">line
          {{ fault.line }}: {{ fault.message }}</p>
        <p v-if="read.faults.length > 6" class="critical">and {{ countText(read.faults.length - 6, 'line') }} more</p>
        <p v-if="unread" class="critical" role="alert">{{ unread.message }}</p>
      </div>
    </div>
    <div class="row">
      <button class="btn main" :disabled="reading || !read.machines.length || !trials.length || !deviceId">Send agents
        to {{ countText(read.machines.length, 'machine') }}</button>
      <button type="button" class="btn" @click="emit('close')">Cancel</button>
    </div>
  </form>
</template>

<style scoped>
.wave {
  border-left: 2px solid var(--act);
  padding-left: 14px;
  margin: 8px 0 14px;
  display: grid;
  gap: 10px;
}
.sentence {
  line-height: 34px;
}
.sentence input {
  width: 130px;
  font-weight: 400;
}
.sentence .short {
  width: 56px;
  font-weight: 600;
}
.two {
  display: grid;
  grid-template-columns: 1fr 300px;
  gap: 24px;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
textarea {
  display: block;
  width: 100%;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 6px 8px;
}
.big {
  font: 600 22px/30px var(--serif);
}
.row {
  display: flex;
  gap: 8px;
}
</style>
