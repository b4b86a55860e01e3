<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { computed, ref } from 'vue'
import type { RetiredClient } from '#contract'
import { numberText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { exactText, fullText } from '../../../parts/format/time'
import { attempt, done } from '../../../parts/ui/notify'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** Clients that are out of use: brought back, handed over, or deleted for good. Nothing where there is none. */
const emit = defineEmits<{ changed: [] }>()
const { data, refresh } = useResource(() => api.get<RetiredClient[]>('/retired-clients'), { topics: ['estate'] })
const clients = computed(() => data.value ?? [])
const removing = ref<RetiredClient | null>(null)
const name = ref('')
const busy = ref(false)
async function act({ id }: RetiredClient, path: string, body: object, said: string): Promise<void> {
  busy.value = true
  const answer = await attempt(() => api.post(`/clients/${id}/${path}`, body))
  busy.value = false
  if (!answer) return
  done(said)
  removing.value = null
  await refresh()
  emit('changed')
}
function ask(client: RetiredClient): void {
  removing.value = client
  name.value = ''
}
const remove = () =>
  removing.value && act(removing.value, 'delete', { name: name.value }, `All that was kept of ${removing.value.name} is deleted.`)
const columns = [
  { key: 'name', title: 'Out of use', grow: 2, width: 260 },
  { key: 'code', title: 'Code', width: 80 },
  { key: 'since', title: 'Since', width: 150 },
  { key: 'devices', title: 'Devices', width: 90, align: 'right' },
  { key: 'acts', width: 320, align: 'right' },
] as const
</script>

<template>
  <div v-if="clients.length" class="gone">
    <ShortTable label="Clients out of use" :rows="clients" :columns="columns" row-key="id">
      <template #name="{ row }">{{ row.name }}</template>
      <template #code="{ row }"><span class="mono">{{ row.code }}</span></template>
      <template #since="{ row }"><time :title="exactText(row.retiredAt)">{{ fullText(row.retiredAt) }}</time></template>
      <template #devices="{ row }">{{ numberText(row.devices) }}</template>
      <template #acts="{ row }"><button class="link" :aria-label="`Bring back ${row.name}`" @click="act(row, 'restore', {}, `${row.name} is in use again.`)">bring back</button>{{ ' ' }}
        <a class="link" :href="`/api/clients/${row.id}/data`" download :aria-label="`Download the data of ${row.name}`">download its data</a>{{ ' ' }}
        <button class="link" :aria-label="`Delete ${row.name}`" @click="ask(row)">delete…</button></template>
    </ShortTable>
    <ElDialog v-if="removing" :model-value="true" :title="`Delete all that is kept of ${removing.name}`" width="560" append-to-body @close="removing = null">
      <form @submit.prevent="remove">
        <p>Its sites, {{ numberText(removing.devices) }} devices, readings, log entries, alerts, windows and mail are gone for good. What was done by whom stays in
          the audit trail, as the law may want. Back-ups that were made before still hold it.</p>
        <p>Download its data first, if anybody may ask for it.</p>
        <ElInput v-model="name" :aria-label="`Write ${removing.name}`" :placeholder="`Write “${removing.name}”`" maxlength="100" />
        <div class="row">
          <button class="btn main" :disabled="busy || name !== removing.name">Delete it all</button>
          <button type="button" class="btn" @click="removing = null">Cancel</button>
        </div>
      </form>
    </ElDialog>
  </div>
</template>

<style scoped>
.gone {
  margin-top: 24px;
}
form {
  display: grid;
  gap: 10px;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
