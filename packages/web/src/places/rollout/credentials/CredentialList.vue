<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { CredentialView, NewCredential } from '#contract'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { fullText } from '../../../parts/format/time'
import FaultLines from '../../../parts/ui/FaultLines.vue'
import { useChecked } from '../../../parts/ui/checked'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** Sign-ins for machines without an agent. They go in here and never come out again. */
const session = useSession()
const { data, error, refresh } = useResource(() => api.get<CredentialView[]>('/credentials'), { topics: ['estate'] })
const shown = computed(() => (data.value ?? []).filter((credential) => session.inView(credential.clientId)))
const making = ref(false)
/** Nobody’s until somebody says whose: a secret must not lie with another client by oversight. */
const place = ref<string | undefined>(session.clientId === null ? undefined : `${session.clientId} `)
const name = ref('')
const userName = ref('root')
const kind = ref<NewCredential['kind']>('password')
const secret = ref('')
function body(): NewCredential {
  const [clientId, siteId] = (place.value ?? '0').split(' ')
  return {
    clientId: Number(clientId),
    siteId: siteId ? Number(siteId) : null,
    name: name.value.trim(),
    userName: userName.value.trim(),
    kind: kind.value,
    secret: secret.value,
  }
}
const { faults, send } = useChecked(async () => (await import('#contract')).newCredentialSchema, body)
async function store(): Promise<void> {
  if (!(await send(() => api.post('/credentials', body())))) return
  secret.value = ''
  making.value = false
  done('Stored. It is used by its name from here on.')
  await refresh()
}
async function remove(credential: CredentialView): Promise<void> {
  if (!(await attempt(() => api.delete(`/credentials/${credential.id}`)))) return
  done('Taken away; its secret is destroyed.')
  await refresh()
}
const columns = [
  { key: 'name', title: 'Name' },
  { key: 'user', title: 'User' },
  { key: 'kind', title: 'Secret' },
  { key: 'of', title: 'For' },
  { key: 'stored', title: 'Stored' },
  { key: 'used', title: 'Used' },
  { key: 'acts', align: 'right' },
] as const
</script>

<template>
  <section aria-label="Sign-ins">
    <div class="head">
      <h2>Sign-ins</h2>
      <span class="muted">encrypted, used by name, never shown again</span>
      <span class="end"><button v-if="!making" class="btn" @click="making = true">Store a sign-in</button></span>
    </div>
    <form v-if="making" class="sentence" @submit.prevent="store">For machines of
      <ChoiceField v-model="place" label="Of" placeholder="which client?">
        <option v-for="client in session.clients" :key="client.id" :value="`${client.id} `">{{ client.name }}</option>
        <template v-for="client in session.clients" :key="`s${client.id}`">
          <option v-for="site in client.sites" :key="site.id" :value="`${client.id} ${site.id}`">{{ client.name }} ·
            {{ site.name }}</option>
        </template>
      </ChoiceField>, called <ElInput v-model="name" aria-label="Called" :aria-invalid="'name' in faults" maxlength="100" />:
      <ElInput v-model="userName" aria-label="User" :aria-invalid="'userName' in faults" maxlength="100" /> with the
      <ChoiceField v-model="kind" label="Kind of secret"><option>password</option><option>private key</option></ChoiceField>
      <ElInput type="textarea" v-if="kind === 'private key'" v-model="secret" class="mono" :rows="3" aria-label="Secret" :aria-invalid="'secret' in faults" spellcheck="false" autocomplete="off" /><ElInput v-else v-model="secret" type="password" aria-label="Secret" :aria-invalid="'secret' in faults" autocomplete="new-password" /> <button class="btn main">Store it</button> <button type="button" class="btn" @click="making = false">Cancel</button>
      <FaultLines :faults="faults" :fields="{ clientId: 'Of', name: 'Called', userName: 'User', secret: 'Secret' }" /></form>
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !shown.length && !making ? 'No sign-in is stored.' : ''"
      @again="refresh"
    />
    <ShortTable v-if="shown.length" label="Sign-ins" :rows="shown" :columns="columns" row-key="id">
      <template #name="{ row: credential }"><b>{{ credential.name }}</b></template>
      <template #user="{ row: credential }"><span class="mono">{{ credential.userName }}</span></template>
      <template #kind="{ row: credential }"><span class="muted">{{ credential.kind }}</span></template>
      <template #of="{ row: credential }">{{ credential.clientName }}{{ credential.siteName ? ` · ${credential.siteName}` : ', every site' }}</template>
      <template #stored="{ row: credential }"><span class="muted">stored {{ fullText(credential.createdAt) }} by {{ credential.createdBy }}</span></template>
      <template #used="{ row: credential }"><span class="muted">{{ credential.usedAt ? `used ${fullText(credential.usedAt)}` : 'never used' }}</span></template>
      <template #acts="{ row: credential }"><button class="link" @click="remove(credential)">remove</button></template>
    </ShortTable>
  </section>
</template>

<style scoped>
section {
  margin-top: 24px;
}
form {
  line-height: 34px;
  margin: 6px 0 8px;
  border-left: 2px solid var(--act);
  padding-left: 14px;
}
input {
  width: 140px;
}
textarea {
  display: block;
  width: 100%;
  max-width: 640px;
  border: 1px solid var(--rule);
  font: 12.5px var(--mono);
  color: var(--ink);
  background: var(--field);
}
</style>
