<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, defineAsyncComponent, ref } from 'vue'
import type { Client } from '#contract'
import { countText } from '#core'
import { useSession } from '../../../parts/data/session'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import ClientDialog from './ClientDialog.vue'
import ContactsDialog from './ContactsDialog.vue'
import EndDialog from './EndDialog.vue'
import RetiredClients from './RetiredClients.vue'
import SiteDialog from './SiteDialog.vue'

const HistoryDialog = defineAsyncComponent(() => import('./HistoryDialog.vue'))

/** The clients that are looked after, and the sites of each. */
const session = useSession()
const mayAdd = computed(() => session.person?.clientIds === null)
const words = ref('')
type Site = Client['sites'][number]
interface Row {
  id: string
  client: Client
  /** null: the client itself. */
  site: Site | null
}
const rows = computed((): Row[] =>
  session.clients.filter(({ id }) => session.inView(id)).flatMap((client) => {
    const asked = words.value.trim().toLowerCase()
    const isClient = `${client.name} ${client.code}`.toLowerCase().includes(asked)
    const sites = client.sites.filter(({ name, zone, networks }) => isClient || `${name} ${zone} ${networks.join(' ')}`.toLowerCase().includes(asked))
    return isClient || sites.length
      ? [{ id: `c${client.id}`, client, site: null }, ...sites.map((site) => ({ id: `s${site.id}`, client, site }))]
      : []
  }),
)
/** What the dialogs are of; null: something new. */
const client = ref<Client | null>()
const contactsOf = ref<Client>()
const historyOf = ref<Client>()
const ending = ref<Client>()
const site = ref<{ client: Client; site: Site | null }>()
async function changed(): Promise<void> {
  client.value = undefined
  ending.value = undefined
  site.value = undefined
  await session.loadClients()
}
const columns = [
  { key: 'name', title: 'Client and site', grow: 2, width: 260 },
  { key: 'code', title: 'Code', width: 80 },
  { key: 'zone', title: 'Zone', width: 150 },
  { key: 'networks', title: 'Networks', grow: 2, width: 240 },
  { key: 'devices', title: 'Devices', width: 90, align: 'right' },
  { key: 'acts', width: 340, align: 'right' },
] as const
</script>

<template>
  <div>
    <p class="tools">
      <ElInput v-model="words" aria-label="Narrow by words" placeholder="narrow by words" clearable class="narrow" />
      <button v-if="mayAdd" class="btn main" @click="client = null">Add a client</button>
    </p>
    <StateNotice :error="null" :loading="false" :empty="rows.length ? '' : words ? `No client, site or network has “${words.trim()}”.` : 'No client yet. Add the first one, and then its sites.'" />
    <ShortTable v-if="rows.length" label="Clients and sites" :rows="rows" :columns="columns" row-key="id">
      <template #name="{ row }"><b v-if="!row.site">{{ row.client.name }}</b><span v-else class="site">{{ row.site.name }}</span></template>
      <template #code="{ row }"><span v-if="!row.site" class="mono">{{ row.client.code }}</span></template>
      <template #zone="{ row }">{{ row.site?.zone }}</template>
      <template #networks="{ row }"><span v-if="row.site" class="mono">{{ row.site.networks.join('  ') }}</span><span v-if="row.site && !row.site.networks.length" class="faint">none declared</span></template>
      <template #devices="{ row }"><span v-if="!row.site">{{ row.client.deviceCount }}</span></template>
      <template #acts="{ row }"><template v-if="!row.site"><button class="link" :aria-label="`Add a site to ${row.client.name}`" @click="site = { client: row.client, site: null }">add a site</button>{{ ' ' }}
          <button class="link" :aria-label="`Contacts of ${row.client.name}`" @click="contactsOf = row.client">contacts</button>{{ ' ' }}
          <button class="link" :aria-label="`Bring history of ${row.client.name}`" @click="historyOf = row.client">history</button>{{ ' ' }}
          <button class="link" :aria-label="`Change ${row.client.name}`" @click="client = row.client">change</button>{{ ' ' }}
          <button v-if="mayAdd" class="link" :aria-label="`End work for ${row.client.name}…`" @click="ending = row.client">end…</button></template>
        <button v-else class="link" :aria-label="`Change ${row.site.name} of ${row.client.name}`" @click="site = { client: row.client, site: row.site }">change</button></template>
    </ShortTable>
    <p v-if="rows.length" class="faint">{{ countText(session.clients.length, 'client') }} in all.</p>
    <ClientDialog v-if="client !== undefined" :client="client" @close="client = undefined" @changed="changed" />
    <RetiredClients v-if="mayAdd" @changed="changed" />
    <EndDialog v-if="ending" :client="ending" @close="ending = undefined" @changed="changed" />
    <ContactsDialog v-if="contactsOf" :client="contactsOf" @close="contactsOf = undefined" />
    <HistoryDialog v-if="historyOf" :client="historyOf" @close="historyOf = undefined" />
    <SiteDialog v-if="site" :client="site.client" :site="site.site" @close="site = undefined" @changed="changed" />
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 12px;
  align-items: center;
  margin: 12px 0;
}
.narrow {
  width: 220px;
}
.site {
  padding-left: 20px;
}
</style>
