<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { Made, NewAddress } from '#contract'
import { api } from '../../../parts/data/api'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'

/** Adds a device that has no agent, and is seen by others alone. */
const emit = defineEmits<{ close: [] }>()
const session = useSession()
const router = useRouter()
const clients = computed(() => (session.client ? [session.client] : session.clients))
const siteId = ref(clients.value.flatMap(({ sites }) => sites)[0]?.id ?? 0)
const site = computed(() => clients.value.flatMap(({ sites }) => sites).find(({ id }) => id === siteId.value))
const name = ref('')
const address = ref('')
const tags = ref('')
const kind = ref<NewAddress['kind']>('address')
const busy = ref(false)
const made = (): NewAddress => ({
  siteId: siteId.value,
  name: name.value.trim(),
  kind: kind.value,
  address: address.value.trim(),
  tags: tags.value
    .split(',')
    .map((part) => part.trim())
    .filter(Boolean),
})
const { faults, send } = useChecked(async () => (await import('#contract')).newAddressSchema, made)
async function save(): Promise<void> {
  busy.value = true
  const answer = await send(() => api.post<Made>('/addresses', made()))
  busy.value = false
  if (!answer) return
  done(`${name.value.trim()} is added. Say what of it is looked at.`)
  emit('close')
  await router.push({ path: `/estate/${answer.id}`, hash: '#reachability' })
}
</script>

<template>
  <ElDialog :model-value="true" title="Add what has no agent" width="600" append-to-body @close="emit('close')">
    <ElForm label-width="90px" label-position="left" @submit.prevent="save">
      <ElFormItem label="Site" :error="faults.siteId"><ChoiceField v-model="siteId" label="Site">
          <optgroup v-for="client in clients" :key="client.id" :label="client.name">
            <option v-for="each in client.sites" :key="each.id" :value="each.id">{{ client.name }} · {{ each.name }}</option>
          </optgroup>
        </ChoiceField></ElFormItem>
      <ElFormItem label="Name" :error="faults.name"><ElInput v-model="name" aria-label="Name" class="mono" maxlength="63" spellcheck="false" /></ElFormItem>
      <ElFormItem label="Address" :error="faults.address">
        <ElInput v-model="address" aria-label="Address" class="mono" maxlength="253" placeholder="198.51.100.7, or a name such as shop.example" spellcheck="false" />
        <p class="faint bounds">Within <span class="mono">{{ [...(site?.networks ?? []), ...(site?.named ?? [])].join(', ') || 'nothing yet' }}</span>: the networks of {{ site?.name ?? 'the site' }} and the addresses that it names. A lead changes them under Set up, Clients.</p>
      </ElFormItem>
      <ElFormItem label="It is" :error="faults.kind"><ChoiceField v-model="kind" label="It is">
          <option value="address">a mere address: a web page, a service that somebody else keeps</option>
          <option value="network">a network device</option>
          <option value="power">a power device</option>
        </ChoiceField></ElFormItem>
      <ElFormItem label="Tags" :error="faults.tags"><ElInput v-model="tags" aria-label="Tags" placeholder="none; several with commas" /></ElFormItem>
      <p class="muted">It is watched from devices of its site alone. What of it they look at, its policy says.</p>
      <div class="row">
        <button class="btn main" :disabled="busy">Add it</button>
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
.faint {
  line-height: 1.4;
  overflow-wrap: anywhere;
}
</style>
