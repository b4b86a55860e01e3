<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ref } from 'vue'
import type { Client, ClientChange, NewClient } from '#contract'
import { api } from '../../../parts/data/api'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'
import { useNotes } from './useNotes'

/** A client: its name, the short code that names of its devices begin with, and what is noted about it. */
const props = defineProps<{ client: Client | null }>()
const emit = defineEmits<{ close: []; changed: [] }>()
const name = ref(props.client?.name ?? '')
const code = ref(props.client?.code ?? '')
const was = { agreed: '', agreedHours: '', domains: '' }
const agreed = ref('')
const agreedHours = ref('')
const domains = ref('')
const { notes, isRead, isChanged } = useNotes(props.client?.id ?? null, (detail) => {
  agreed.value = was.agreed = detail.agreed
  agreedHours.value = was.agreedHours = detail.agreedHours
  domains.value = was.domains = detail.mailDomains.join(', ')
  return detail.notes
})
const busy = ref(false)
const made = (): NewClient => ({ name: name.value.trim(), code: code.value.trim() })
const changes = (): ClientChange => ({
  ...(name.value.trim() === props.client?.name ? {} : { name: name.value.trim() }),
  ...(code.value.trim() === props.client?.code ? {} : { code: code.value.trim() }),
  ...(isChanged() ? { notes: notes.value } : {}),
  ...(agreed.value.trim() === was.agreed ? {} : { agreed: agreed.value.trim() }),
  ...(agreedHours.value.trim() === was.agreedHours ? {} : { agreedHours: agreedHours.value.trim() }),
  ...(domains.value === was.domains ? {} : { mailDomains: domains.value.toLowerCase().split(/[\s,;]+/).filter(Boolean) }),
})
const adding = useChecked(async () => (await import('#contract')).newClientSchema, made)
const changing = useChecked(async () => (await import('#contract')).clientChangeSchema.min(0), changes)
const { faults } = props.client ? changing : adding
async function send({ id }: Client): Promise<boolean> {
  return !Object.keys(changes()).length || (await changing.send(() => api.put(`/clients/${id}`, changes()))) !== null
}
async function save(): Promise<void> {
  busy.value = true
  const isDone = props.client ? await send(props.client) : (await adding.send(() => api.post('/clients', made()))) !== null
  busy.value = false
  if (!isDone) return
  done(props.client ? 'Changed.' : `${name.value.trim()} is added. Its first site is next.`)
  emit('changed')
}
</script>

<template>
  <ElDialog :model-value="true" :title="client ? `Change ${client.name}` : 'Add a client'" width="600" append-to-body @close="emit('close')">
    <ElForm label-width="80px" label-position="left" @submit.prevent="save">
      <ElFormItem label="Name" :error="faults.name"><ElInput v-model="name" aria-label="Name" maxlength="100" /></ElFormItem>
      <ElFormItem label="Code" :error="faults.code"><ElInput v-model="code" aria-label="Code" class="mono" maxlength="10" placeholder="small letters and digits, such as tm" spellcheck="false" /></ElFormItem>
      <ElFormItem v-if="client" label="Notes" :error="faults.notes"><ElInput
        v-model="notes"
        aria-label="Notes"
        type="textarea"
        :rows="5"
        maxlength="4000"
        :disabled="!isRead"
        placeholder="how to get in, what is special there"
      /></ElFormItem>
      <template v-if="client">
        <ElFormItem label="Hours" :error="faults.agreedHours"><ElInput v-model="agreedHours" aria-label="Hours in which one works for them" :disabled="!isRead" maxlength="100" placeholder="any; such as Mon–Fri 08:00–18:00, on the clocks of their sites" /></ElFormItem>
        <ElFormItem label="Agreed" :error="faults.agreed"><ElInput v-model="agreed" aria-label="What is agreed" :disabled="!isRead" maxlength="1000" placeholder="what is done for them, and how soon" /></ElFormItem>
        <ElFormItem label="Mail" :error="faults.mailDomains"><ElInput v-model="domains" aria-label="Domains of their mail" class="mono" :disabled="!isRead" maxlength="2000" placeholder="domains whose senders are theirs, such as tidemill.example" spellcheck="false" /></ElFormItem>
      </template>
      <div class="row">
        <button class="btn main" :disabled="busy">{{ client ? 'Change it' : 'Add it' }}</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </ElForm>
  </ElDialog>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
}
</style>
