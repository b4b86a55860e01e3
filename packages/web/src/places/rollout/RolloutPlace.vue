<script setup lang="ts">
import { computed, ref } from 'vue'
import type { BoardDevice, EnrolmentKeyView, MadeEnrolmentKey, Role } from '#contract'
import type { DeviceKind } from '#core'
import { api } from '../../parts/api'
import { attempt, done } from '../../parts/notify'
import { useResource } from '../../parts/resource'
import { useSession } from '../../parts/session'
import StateNotice from '../../parts/StateNotice.vue'
import { fullText, now } from '../../parts/time'

/** One machine by hand: a key for a site, and the two commands to run there. */
const session = useSession()
const { data, error, refresh } = useResource(() => api.get<EnrolmentKeyView[]>('/enrolment-keys'), { topics: ['estate'] })
const devices = useResource(() => api.get<BoardDevice[]>('/devices'), { topics: ['estate', 'reports'] })
const roles = useResource(() => api.get<Role[]>('/roles'))
const sites = computed(() => session.clients.filter((one) => session.inView(one.id)).flatMap((client) => client.sites.map((site) => ({ ...site, clientName: client.name }))))
const siteId = ref<number | null>(null)
const uses = ref(1)
const kind = ref<DeviceKind>('server')
const role = ref('')
const made = ref<(MadeEnrolmentKey & { before: number[] }) | null>(null)
const origin = location.origin
async function make(): Promise<void> {
  const site = siteId.value ?? sites.value[0]?.id
  if (!site) return
  const key = await attempt(() => api.post<MadeEnrolmentKey>('/enrolment-keys', { siteId: site, label: '', uses: uses.value, days: 1, kind: kind.value, roles: role.value ? [role.value] : [], tags: [] }))
  if (key) made.value = { ...key, before: (devices.data.value ?? []).map((one) => one.id) }
  await refresh()
}
const arrived = computed(() => (made.value ? (devices.data.value ?? []).filter((one) => !made.value!.before.includes(one.id)) : []))
const stateOf = (one: EnrolmentKeyView) => (one.revoked ? 'revoked' : one.expiresAt < now.value ? 'expired' : one.usesLeft === 0 ? 'used up' : `${one.usesLeft} ${one.usesLeft === 1 ? 'use' : 'uses'} left, until ${fullText(one.expiresAt)}`)
async function revoke(id: number): Promise<void> {
  if (await attempt(() => api.delete(`/enrolment-keys/${id}`))) {
    done('Revoked: nothing can enrol with it any more.')
    await refresh()
  }
}
</script>

<template>
  <div class="page">
    <h1>Rollout</h1>
    <form class="sentence" @submit.prevent="make">Let <select v-model.number="uses" aria-label="Uses"><option :value="1">one machine</option><option :value="10">10 machines</option><option :value="100">100 machines</option></select> enrol within a day
      at <select v-model="siteId" aria-label="Site"><option :value="null">{{ sites[0]?.clientName }} · {{ sites[0]?.name }}</option><option v-for="site in sites.slice(1)" :key="site.id" :value="site.id">{{ site.clientName }} · {{ site.name }}</option></select>
      as a <select v-model="kind" aria-label="Kind"><option>server</option><option>workstation</option></select> with
      <select v-model="role" aria-label="Role"><option value="">no role yet</option><option v-for="one in roles.data.value" :key="one.id" :value="one.id">the role {{ one.name }}</option></select>. <button class="btn main">Make a key</button></form>
    <section v-if="made" class="made"><h2>Run this on the machine</h2>
      <p class="muted">The key is shown this once. The agent is one file, <span class="mono">dist/agent/custode-agent.mjs</span>, and needs Node 20.</p>
      <pre class="mono">custode-agent.mjs enroll --server {{ origin }} --key {{ made.key }}
custode-agent.mjs run</pre>
      <p v-if="!arrived.length" class="muted">Waiting for it to enrol… <span class="mono">custode-agent.mjs check</span> says what is wrong when nothing comes.</p>
      <p v-for="one in arrived" :key="one.id"><RouterLink class="mono" :to="`/estate/${one.id}`">{{ one.name }}</RouterLink> enrolled; {{ one.heardAt ? 'first readings are here' : 'waiting for its first readings…' }}</p>
    </section>
    <h2>Keys</h2>
    <StateNotice :error="error" :loading="!data" :empty="data && !data.length ? 'No key has been made yet.' : ''" @again="refresh" />
    <table v-if="data?.length" class="board"><thead><tr><th>Site</th><th>For</th><th>Roles</th><th>State</th><th>Label</th><th>By</th><th></th></tr></thead>
      <tbody><tr v-for="one in data" :key="one.id"><td>{{ one.clientName }} · {{ one.siteName }}</td><td>{{ one.kind }}</td><td>{{ one.roles.join(', ') }}</td><td>{{ stateOf(one) }}</td><td class="muted">{{ one.label }}</td><td class="muted">{{ one.createdBy }}</td><td class="num"><button v-if="!one.revoked" class="link" @click="revoke(one.id)">revoke</button></td></tr></tbody></table>
  </div>
</template>

<style scoped>
form { line-height: 34px; margin: 8px 0 12px; } select { font: 600 16px var(--serif); color: var(--ink); background: none; border: 0; border-bottom: 1.5px dotted var(--ink3); max-width: 280px; } option { background: var(--sheet); }
.made { border-left: 2px solid var(--act); padding-left: 14px; margin-bottom: 18px; } pre { background: var(--sheet); border: 1px solid var(--rule); padding: 10px 12px; overflow: auto; user-select: all; }
</style>
