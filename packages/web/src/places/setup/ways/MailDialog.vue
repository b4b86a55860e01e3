<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElInputNumber } from 'element-plus/es/components/input-number/index'
import 'element-plus/es/components/input-number/style/css'
import { ref } from 'vue'
import type { MailBody, MailSecurity, Ways } from '#contract'
import { api } from '../../../parts/data/api'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'

/** The mail server that takes what is to leave. */
const props = defineProps<{ mail: Ways['mail'] }>()
const emit = defineEmits<{ close: []; changed: [] }>()
const host = ref(props.mail?.host ?? '')
const security = ref<MailSecurity>(props.mail?.security ?? 'starttls')
/** RFC 8314: 465 with TLS from the start, 587 with STARTTLS. */
const usualPort = { tls: 465, starttls: 587, none: 25 } as const
const port = ref(props.mail?.port ?? usualPort.starttls)
const username = ref(props.mail?.username ?? '')
const password = ref('')
const sender = ref(props.mail?.sender ?? '')
function chosen(to: MailSecurity): void {
  if ((Object.values(usualPort) as number[]).includes(port.value)) port.value = usualPort[to]
  security.value = to
}
const body = (): MailBody => ({
  host: host.value.trim(),
  port: port.value,
  security: security.value,
  username: username.value.trim(),
  ...(password.value ? { password: password.value } : {}),
  sender: sender.value.trim(),
})
const { faults, send } = useChecked(async () => (await import('#contract')).mailBodySchema, body)
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  const saved = await send(() => api.put('/ways/mail', body()))
  busy.value = false
  if (!saved) return
  done('Saved. Send yourself a test, to see whether it works.')
  emit('changed')
  emit('close')
}
</script>

<template>
  <ElDialog :model-value="true" title="How mail leaves" width="560" append-to-body @close="emit('close')">
    <ElForm label-width="120px" label-position="left" @submit.prevent="save">
      <ElFormItem label="Mail server" :error="faults.host"><ElInput v-model="host" maxlength="200" spellcheck="false" autocomplete="off" placeholder="mail.lanternfield.example" /></ElFormItem>
      <ElFormItem label="Security" :error="faults.security"><ChoiceField :model-value="security" label="Security" @update:model-value="chosen"><option value="starttls">STARTTLS</option><option value="tls">TLS from the start</option><option value="none">none, on this machine only</option></ChoiceField></ElFormItem>
      <ElFormItem label="Port" :error="faults.port"><ElInputNumber v-model="port" aria-label="Port" :min="1" :max="65535" :controls="false" /></ElFormItem>
      <ElFormItem label="Signs in as" :error="faults.username"><ElInput v-model="username" maxlength="200" autocomplete="off" spellcheck="false" placeholder="nobody: it takes mail from this machine" /></ElFormItem>
      <ElFormItem v-if="username" label="Password" :error="faults.password"><ElInput v-model="password" type="password" maxlength="500" autocomplete="new-password" :placeholder="mail?.hasPassword && username === mail.username && host === mail.host ? 'stays as it is' : ''" /></ElFormItem>
      <ElFormItem label="From" :error="faults.sender"><ElInput v-model="sender" maxlength="200" autocomplete="off" spellcheck="false" placeholder="custode@lanternfield.example" /></ElFormItem>
      <div class="row">
        <button class="btn main" :disabled="busy">Save</button>
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
