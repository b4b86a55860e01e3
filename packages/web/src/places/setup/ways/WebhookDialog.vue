<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ref } from 'vue'
import type { MadeWebhook, WebhookBody, WebhookView } from '#contract'
import { api } from '../../../parts/data/api'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'

/** Another system that is told; of a new one its secret is shown once. */
const props = defineProps<{ webhook: WebhookView | null }>()
const emit = defineEmits<{ close: []; changed: [] }>()
const name = ref(props.webhook?.name ?? '')
const url = ref(props.webhook?.url ?? '')
const secret = ref('')
const body = (): WebhookBody => ({ name: name.value.trim(), url: url.value.trim() })
const { faults, send } = useChecked(async () => (await import('#contract')).webhookBodySchema, body)
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  const { webhook } = props
  const saved = await send(() =>
    webhook ? api.put(`/webhooks/${webhook.id}`, body()) : api.post<MadeWebhook>('/webhooks', body()),
  )
  busy.value = false
  if (!saved) return
  emit('changed')
  if (!webhook) {
    secret.value = (saved as MadeWebhook).secret
    return
  }
  done('Changed. What waits for it leaves at once.')
  emit('close')
}
</script>

<template>
  <ElDialog :model-value="true" :title="webhook ? `Change ${webhook.name}` : 'Add a webhook'" width="600" append-to-body @close="emit('close')">
    <template v-if="secret">
      <p>By this secret {{ name }} can tell that an event comes from here. It is shown once:</p>
      <p class="mono secret">{{ secret }}</p>
      <div class="row"><button class="btn main" @click="emit('close')">It is kept</button></div>
    </template>
    <ElForm v-else label-width="100px" label-position="left" @submit.prevent="save">
      <ElFormItem label="Name" :error="faults.name"><ElInput v-model="name" maxlength="60" autocomplete="off" /></ElFormItem>
      <ElFormItem label="Address" :error="faults.url"><ElInput v-model="url" maxlength="1000" autocomplete="off" spellcheck="false" placeholder="https://desk.lanternfield.example/hook" /></ElFormItem>
      <div class="row">
        <button class="btn main" :disabled="busy">{{ webhook ? 'Change' : 'Add' }}</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </ElForm>
  </ElDialog>
</template>

<style scoped>
.secret {
  margin: 10px 0;
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
