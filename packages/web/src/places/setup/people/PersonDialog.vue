<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElSelectV2 } from 'element-plus/es/components/select-v2/index'
import 'element-plus/es/components/select-v2/style/css'
import { computed, ref } from 'vue'
import { accessLevels, type AccessLevel, type Made, type NewPerson, type PersonChange, type PersonListed } from '#contract'
import { api } from '../../../parts/data/api'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'
import { accessWords } from './accessWords'

/** Somebody new, or what somebody may do and see, and a new password for whoever lost theirs. */
const props = defineProps<{ person: PersonListed | null }>()
const emit = defineEmits<{ close: []; changed: []; invited: [person: { id: number; name: string; email: string }] }>()
const session = useSession()
const name = ref(props.person?.name ?? '')
const email = ref('')
const password = ref('')
const access = ref<AccessLevel>(props.person?.access ?? 'technician')
/** Who may not see all themselves can give no more than they see. */
const mayAll = session.person?.clientIds === null
const sees = ref<'all' | 'some'>(mayAll && (props.person?.clientIds ?? null) === null ? 'all' : 'some')
const chosen = ref<number[]>(props.person?.clientIds ?? [])
const clientIds = computed(() => (sees.value === 'all' ? null : chosen.value))
const options = session.clients.map(({ id, name: label }) => ({ value: id, label }))
const busy = ref(false)

const added = (): NewPerson => ({
  name: name.value.trim(),
  email: email.value.trim(),
  ...(password.value ? { password: password.value } : {}),
  access: access.value,
  clientIds: clientIds.value,
})
function changes(): PersonChange {
  const { person } = props
  const body: PersonChange = {}
  if (name.value.trim() !== person?.name) body.name = name.value.trim()
  if (access.value !== person?.access) body.access = access.value
  if (JSON.stringify(clientIds.value) !== JSON.stringify(person?.clientIds)) body.clientIds = clientIds.value
  return body
}
const adding = useChecked(async () => (await import('#contract')).newPersonSchema, added)
const changing = useChecked(async () => (await import('#contract')).personChangeSchema.min(0), changes)
const renewing = useChecked(async () => (await import('#contract')).newPasswordSchema, () => ({ password: password.value }))
const faults = computed(() => ({ ...(props.person ? changing : adding).faults.value, ...renewing.faults.value }))

async function add(): Promise<boolean> {
  const made = await adding.send(() => api.post<Made>('/people', added()))
  if (!made) return false
  if (password.value) done(`${name.value.trim()} may sign in with this password. It is best changed at the first sign-in.`)
  else emit('invited', { id: made.id, name: name.value.trim(), email: email.value.trim() })
  return true
}
async function change(id: number): Promise<boolean> {
  const body = changes()
  if (Object.keys(body).length && !(await changing.send(() => api.put(`/people/${id}`, body)))) return false
  if (password.value && !(await renewing.send(() => api.post(`/people/${id}/password`, { password: password.value })))) return false
  const isSignedOut = password.value !== '' || body.access !== undefined || body.clientIds !== undefined
  if (isSignedOut) done(`Changed. ${name.value.trim()} has to sign in again.`)
  else if (body.name !== undefined) done('Changed.')
  return true
}
async function save(): Promise<void> {
  busy.value = true
  const isDone = await (props.person ? change(props.person.id) : add())
  busy.value = false
  if (!isDone) return
  emit('changed')
  emit('close')
}
</script>

<template>
  <ElDialog :model-value="true" :title="person ? `Change ${person.name}` : 'Add a person'" width="600" append-to-body @close="emit('close')">
    <ElForm label-width="120px" label-position="left" @submit.prevent="save">
      <ElFormItem label="Name" :error="faults.name"><ElInput v-model="name" maxlength="100" autocomplete="off" /></ElFormItem>
      <ElFormItem v-if="!person" label="E-mail" :error="faults.email"><ElInput v-model="email" maxlength="200" autocomplete="off" spellcheck="false" /></ElFormItem>
      <ElFormItem :label="person ? 'New password' : 'Password'" :error="faults.password">
        <ElInput v-model="password" type="password" show-password maxlength="200" autocomplete="new-password" :placeholder="person ? 'stays as it is' : 'none: they are sent a link to choose one'" />
      </ElFormItem>
      <ElFormItem label="May" :error="faults.access"><ChoiceField v-model="access" label="May">
          <option v-for="level in accessLevels" :key="level" :value="level">{{ accessWords[level] }}</option>
        </ChoiceField></ElFormItem>
      <ElFormItem label="Sees" :error="faults.clientIds">
        <div class="sees">
          <ChoiceField v-if="mayAll" v-model="sees" label="Sees">
            <option value="all">every client</option>
            <option value="some">some clients</option>
          </ChoiceField>
          <ElSelectV2
            v-if="sees === 'some'"
            v-model="chosen"
            multiple
            filterable
            :options="options"
            :item-height="30"
            placeholder="which clients?"
            aria-label="Clients"
          />
        </div>
      </ElFormItem>
      <div class="row">
        <button class="btn main" :disabled="busy">{{ person ? 'Change' : 'Add' }}</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </ElForm>
  </ElDialog>
</template>

<style scoped>
.sees {
  display: grid;
  gap: 6px;
  width: 100%;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
