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
import { ref } from 'vue'
import { tokenScopes, type MadeToken, type NewToken, type TokenScope } from '#contract'
import { api } from '../../../parts/data/api'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { useChecked } from '../../../parts/ui/checked'
import { scopeWords } from './scopeWords'

/** A token for a program, shown once. */
const emit = defineEmits<{ close: []; changed: [] }>()
const session = useSession()
const name = ref('')
const scope = ref<TokenScope>('read')
const clients = ref<number[]>([])
const days = ref(90)
const options = session.clients.map(({ id, name: label }) => ({ value: id, label }))
const made = ref<MadeToken | null>(null)
const body = (): NewToken => ({
  name: name.value.trim(),
  scope: scope.value,
  clientIds: clients.value.length ? clients.value : null,
  days: days.value,
})
const { faults, send } = useChecked(async () => (await import('#contract')).newTokenSchema, body)
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  made.value = await send(() => api.post<MadeToken>('/tokens', body()))
  busy.value = false
  if (made.value) emit('changed')
}
const origin = window.location.origin
</script>

<template>
  <ElDialog :model-value="true" title="Make a token" width="620" append-to-body @close="emit('close')">
    <template v-if="made">
      <p>It is shown once. Whoever has it may {{ scopeWords[scope] }}, in your name.</p>
      <p class="mono secret">{{ made.token }}</p>
      <p>Try it:</p>
      <p class="mono secret">curl -H 'Authorization: Bearer {{ made.token }}' {{ origin }}/api/rounds</p>
      <button class="btn main" @click="emit('close')">It is kept</button>
    </template>
    <ElForm v-else label-width="100px" label-position="left" @submit.prevent="save">
      <ElFormItem label="Name" :error="faults.name"><ElInput v-model="name" maxlength="100" autocomplete="off" placeholder="what asks by it" /></ElFormItem>
      <ElFormItem label="May" :error="faults.scope"><ChoiceField v-model="scope" label="May"><option v-for="each in tokenScopes" :key="each" :value="each">{{ scopeWords[each] }}</option></ChoiceField></ElFormItem>
      <ElFormItem label="Sees" :error="faults.clientIds"><ElSelectV2 v-model="clients" multiple filterable :options="options" :item-height="30" placeholder="whatever you see; or only these clients" aria-label="Clients" /></ElFormItem>
      <ElFormItem label="Expires" :error="faults.days"><ChoiceField v-model="days" label="Expires"><option :value="7">in 7 days</option><option :value="30">in 30 days</option><option :value="90">in 90 days</option><option :value="365">in a year</option></ChoiceField></ElFormItem>
      <div class="row">
        <button class="btn main" :disabled="busy">Make it</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </ElForm>
  </ElDialog>
</template>

<style scoped>
.secret {
  margin: 8px 0;
  padding: 8px 10px;
  background: var(--sheet);
  border: 1px solid var(--rule);
  overflow-wrap: anywhere;
  user-select: all;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
