<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { Client, NewStandingRule, PersonListed, Role, StandingRuleView } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import StandingRuleForm from './StandingRuleForm.vue'

/** What a device gets that nobody has touched: standing rules, and the networks that say where it is. */
const session = useSession()
const { data, error, refresh } = useResource(() => api.get<StandingRuleView[]>('/standing-rules'))
const roles = useResource(() => api.get<Role[]>('/roles'))
const people = useResource(() => api.get<PersonListed[]>('/people'))
const making = ref(false)
const clients = computed(() => session.clients.filter((client) => session.inView(client.id)))
const sites = computed(() =>
  clients.value.flatMap((client) => client.sites.map((site) => ({ ...site, clientName: client.name }))),
)
const columns = [
  { key: 'site', title: 'Client and site', width: 330 },
  { key: 'networks', title: 'Networks', grow: 1 },
] as const
const roleName = (id: string) => roles.data.value?.find((role) => role.id === id)?.name ?? id
function whom({ when }: NewStandingRule): string {
  const site = session.clients.flatMap((candidate) => candidate.sites).find((candidate) => candidate.id === when.siteId)
  const client = session.clients.find((client) => client.id === (when.clientId ?? site?.clientId))
  return [
    `every new ${when.osFamily === null ? '' : { linux: 'Linux ', windows: 'Windows ' }[when.osFamily]}${when.kind ?? 'device'}`,
    when.namePattern && `named ${when.namePattern}`,
    when.network && `in ${when.network}`,
    site ? `at ${client?.name} · ${site.name}` : client && `at ${client.name}`,
  ]
    .filter(Boolean)
    .join(' ')
}
function effectWords(rule: NewStandingRule): string {
  return (
    [
      ...rule.roles.map((role) => `the role ${roleName(role)}`),
      ...rule.tags.map((tag) => `the tag ${tag}`),
      ...(rule.takeDetected ? ['every role seen there'] : []),
    ].join(', ') || 'nothing of its own'
  )
}
const told = (rule: NewStandingRule) =>
  rule.notify.map((id) => people.data.value?.find((person) => person.id === id)?.name ?? 'somebody').join(', ')
async function remove(rule: StandingRuleView): Promise<void> {
  if (!(await attempt(() => api.delete(`/standing-rules/${rule.id}`)))) return
  done('Taken away. What it gave stays.')
  await refresh()
}
const editing = ref<number | null>(null)
const typed = ref('')
function edit(site: Client['sites'][number]): void {
  editing.value = site.id
  typed.value = site.networks.join(', ')
}
async function declare(): Promise<void> {
  const networks = typed.value.split(/[\s,]+/).filter(Boolean)
  if (!(await attempt(() => api.put(`/sites/${editing.value}/networks`, { networks })))) return
  editing.value = null
  done('Declared.')
  await session.loadClients()
}
</script>

<template>
  <div>
    <div class="head">
      <h2>Standing rules</h2>
      <span class="muted">all that fit add up</span>
      <span class="end">
        <button v-if="session.isLead && !making" class="btn main" @click="making = true">Add a rule</button>
      </span>
    </div>
    <StandingRuleForm v-if="making" @close="making = false; refresh()" />
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !data.length && !making ? 'No rule stands: a new device gets what its key gives, and policies that reach its kind, client or site.' : ''"
      @again="refresh"
    />
    <div v-for="rule in data" :key="rule.id" class="rule">
      <p class="sentence">Give {{ whom(rule) }} <b>{{ effectWords(rule) }}</b><template v-if="rule.notify.length">, and notify <b>{{ told(rule) }}</b></template>.</p>
      <span class="muted">{{ rule.name }}, by {{ rule.createdBy }}</span>
      <button v-if="session.isLead" class="link" @click="remove(rule)">remove</button>
    </div>
    <h2 class="networks">Networks of the sites</h2>
    <p class="muted">They place a newcomer by its address and bound what may be swept.</p>
    <ShortTable label="Networks of the sites" :rows="sites" :columns="columns" row-key="id">
      <template #site="{ row: site }">{{ site.clientName }} · {{ site.name }}</template>
      <template #networks="{ row: site }">
        <form v-if="editing === site.id" @submit.prevent="declare" @keydown.esc="editing = null">
          <ElInput
            v-model="typed"
            class="mono"
            autofocus
            aria-label="Networks"
            placeholder="192.0.2.0/24, 2001:db8:5::/48" />
          <button class="btn main">Declare</button>
          <button type="button" class="btn" @click="editing = null">Cancel</button>
        </form>
        <template v-else><span v-if="site.networks.length" class="mono">{{ site.networks.join(', ') }}</span><span v-else class="faint">none declared</span> <button v-if="session.mayChange" class="link" @click="edit(site)">change</button></template>
      </template>
    </ShortTable>
    <p v-if="!clients.length" class="muted">{{ countText(0, 'client') }} in view.</p>
  </div>
</template>

<style scoped>
.head {
  margin-top: 12px;
}
.rule {
  display: flex;
  gap: 14px;
  align-items: baseline;
  border-bottom: 1px solid var(--rule2);
  padding: 6px 0;
}
.rule .sentence {
  flex: 1;
}
.networks {
  margin-top: 22px;
}
form {
  display: flex;
  gap: 8px;
}
.link {
  margin-left: 8px;
}
</style>
