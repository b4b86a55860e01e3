<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { Client, ClientDetail, Contact, ContactBody } from '#contract'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useChecked } from '../../../parts/ui/checked'
import { attempt, done } from '../../../parts/ui/notify'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'

/** Whom one knows at a client: how to reach them, what they are asked about, and what they see if they sign in. */
const props = defineProps<{ client: Client }>()
const emit = defineEmits<{ close: [] }>()
const { data, error, refresh } = useResource(() => api.get<ClientDetail>(`/clients/${props.client.id}`), { topics: ['estate', 'people'] })
const contacts = computed(() => data.value?.contacts ?? [])
const none = { name: '', email: '', phone: '', note: '' }
const form = ref<ContactBody>({ ...none })
/** Whom the form is about; null: somebody new; undefined: it is not there. */
const about = ref<Contact | null>()
const body = (): ContactBody => {
  const { name, email, phone, note } = form.value
  return { name: name.trim(), email: email.trim(), phone: phone.trim(), note: note.trim() }
}
const { faults, send } = useChecked(async () => (await import('#contract')).contactBodySchema, body)
function write(contact: Contact | null): void {
  about.value = contact
  form.value = { ...(contact ?? none) }
}
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  const before = about.value
  const saved = await send(() =>
    before ? api.put(`/contacts/${before.id}`, body()) : api.post(`/clients/${props.client.id}/contacts`, body()),
  )
  busy.value = false
  if (!saved) return
  done(before ? 'Changed.' : `${body().name} is added.`)
  about.value = undefined
  await refresh()
}
async function remove({ id, name }: Contact): Promise<void> {
  if (!(await attempt(() => api.delete(`/contacts/${id}`)))) return
  done(`${name} is not in the list any more; what they wrote stays.`)
  await refresh()
}
const seesText = ({ access }: Contact) =>
  access === null ? 'does not sign in' : access === 'contact' ? 'signs in, only looks' : `signs in as ${access}`
const columns = [
  { key: 'name', title: 'Name', grow: 1, width: 170 },
  { key: 'reach', title: 'Reached at', grow: 2, width: 250 },
  { key: 'note', title: 'For what', grow: 1, width: 150 },
  { key: 'sees', title: 'Sees', width: 140 },
  { key: 'acts', width: 130, align: 'right' },
] as const
</script>

<template>
  <ElDialog :model-value="true" :title="`Contacts of ${client.name}`" width="920" append-to-body @close="emit('close')">
    <StateNotice :error="error" :loading="!data" :empty="data && !contacts.length && about === undefined ? 'Nobody yet. Whoever is added here is known when they write.' : ''" @again="refresh" />
    <ShortTable v-if="contacts.length" label="Contacts" :rows="contacts" :columns="columns" row-key="id">
      <template #name="{ row }">{{ row.name }}</template>
      <template #reach="{ row }"><span class="mono">{{ row.email }}</span> {{ row.phone }}</template>
      <template #note="{ row }">{{ row.note }}</template>
      <template #sees="{ row }"><span class="muted">{{ seesText(row) }}</span></template>
      <template #acts="{ row }"><button class="link" :aria-label="`Change ${row.name}`" @click="write(row)">change</button>{{ ' ' }}
        <button class="link" :aria-label="`Remove ${row.name}`" @click="remove(row)">remove</button></template>
    </ShortTable>
    <p v-if="about === undefined && data" class="add"><button class="btn" @click="write(null)">Add somebody</button></p>
    <ElForm v-if="about !== undefined" label-width="90px" label-position="left" class="add" @submit.prevent="save">
      <ElFormItem label="Name" :error="faults.name"><ElInput v-model="form.name" aria-label="Name" maxlength="100" /></ElFormItem>
      <ElFormItem label="Mail" :error="faults.email"><ElInput v-model="form.email" aria-label="Mail" maxlength="200" spellcheck="false" /></ElFormItem>
      <ElFormItem label="Telephone" :error="faults.phone"><ElInput v-model="form.phone" aria-label="Telephone" maxlength="60" /></ElFormItem>
      <ElFormItem label="For what" :error="faults.note"><ElInput v-model="form.note" aria-label="For what" maxlength="500" placeholder="ticketing; may approve work" /></ElFormItem>
      <p class="row"><button class="btn main" :disabled="busy">{{ about ? 'Change' : 'Add' }}</button>
        <button type="button" class="btn" @click="about = undefined">Cancel</button></p>
    </ElForm>
  </ElDialog>
</template>

<style scoped>
.add {
  margin-top: 14px;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
