<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
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
import { accessLevels, type GroupRule, type ProviderBody, type ProviderSetting } from '#contract'
import { api } from '../../../parts/data/api'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'
import { accessWords } from './accessWords'

/** OpenID Connect: where the provider is, and what its groups may do here. */
const props = defineProps<{ setting: ProviderSetting }>()
const emit = defineEmits<{ close: []; changed: [] }>()
const session = useSession()
const before = props.setting.provider
const secretHint = before?.hasSecret ? 'stays as it is' : 'none: by PKCE alone'
const name = ref(before?.name ?? '')
const issuer = ref(before?.issuer ?? '')
const clientId = ref(before?.clientId ?? '')
const clientSecret = ref('')
const scopes = ref(before?.scopes ?? 'openid email profile groups')
const groupsClaim = ref(before?.groupsClaim ?? 'groups')
const isOn = ref(before?.isOn ?? true)
const rules = ref<GroupRule[]>(structuredClone(before?.rules ?? [{ group: '', access: 'technician', clientIds: null }]))
const levels = accessLevels.map((level) => ({ value: level, text: accessWords[level] }))
const options = session.clients.map(({ id, name: label }) => ({ value: id, label }))
function change(i: number, part: Partial<GroupRule>): void {
  rules.value = rules.value.map((rule, n) => (n === i ? { ...rule, ...part } : rule))
}
const body = (): ProviderBody => ({
  name: name.value.trim(),
  issuer: issuer.value.trim(),
  clientId: clientId.value.trim(),
  ...(clientSecret.value ? { clientSecret: clientSecret.value } : {}),
  scopes: scopes.value.trim(),
  groupsClaim: groupsClaim.value.trim(),
  rules: rules.value.map((rule) => ({ ...rule, group: rule.group.trim() })),
  isOn: isOn.value,
})
const { faults, send } = useChecked(async () => (await import('#contract')).providerBodySchema, body)
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  const saved = await send(() => api.put('/house-policy/provider', body()))
  busy.value = false
  if (!saved) return
  done('Saved. Try it in another browser before you rely on it: your password stays a way in.')
  emit('changed')
  emit('close')
}
</script>

<template>
  <ElDialog :model-value="true" title="Sign in by an identity provider" width="720" append-to-body @close="emit('close')">
    <p>The provider wants to know where it sends people back to: <span class="mono">{{ setting.redirectUri }}</span></p>
    <ElForm label-width="120px" label-position="left" @submit.prevent="save">
      <ElFormItem label="Name" :error="faults.name"><ElInput v-model="name" maxlength="60" autocomplete="off" placeholder="as it stands on the button" /></ElFormItem>
      <ElFormItem label="Issuer" :error="faults.issuer"><ElInput v-model="issuer" maxlength="500" spellcheck="false" autocomplete="off" placeholder="https://id.lanternfield.example" /></ElFormItem>
      <ElFormItem label="Client ID" :error="faults.clientId"><ElInput v-model="clientId" maxlength="300" spellcheck="false" autocomplete="off" /></ElFormItem>
      <ElFormItem label="Client secret" :error="faults.clientSecret"><ElInput v-model="clientSecret" type="password" maxlength="1000" autocomplete="new-password" :placeholder="secretHint" /></ElFormItem>
      <ElFormItem label="Scopes" :error="faults.scopes"><ElInput v-model="scopes" maxlength="300" spellcheck="false" /></ElFormItem>
      <ElFormItem label="Groups are in" :error="faults.groupsClaim"><ElInput v-model="groupsClaim" aria-label="Claim with the groups" maxlength="200" spellcheck="false" /></ElFormItem>
      <h3>What groups may do; the first that fits counts</h3>
      <p v-if="faults.rules" class="critical">{{ faults.rules }}</p>
      <p v-for="(rule, i) in rules" :key="i" class="group">
        <ElInput :model-value="rule.group" :aria-label="`Group ${i + 1}`" placeholder="group" class="name" @update:model-value="change(i, { group: $event })" />
        <ChoiceField :model-value="rule.access" :label="`May ${i + 1}`" :choices="levels" @update:model-value="change(i, { access: $event })" />
        <ElSelectV2 :model-value="rule.clientIds ?? []" multiple filterable collapse-tags :options="options" :item-height="30" placeholder="every client" :aria-label="`Clients ${i + 1}`" class="clients" @update:model-value="change(i, { clientIds: $event.length ? $event : null })" />
        <button type="button" class="link" :aria-label="`Leave group ${i + 1} out`" @click="rules = rules.filter((_, n) => n !== i)">leave out</button>
      </p>
      <p><button type="button" class="link" @click="rules = [...rules, { group: '', access: 'technician', clientIds: null }]">add a group</button></p>
      <p><ElCheckbox v-model="isOn">It is in use</ElCheckbox></p>
      <div class="row">
        <button class="btn main" :disabled="busy">Save</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </ElForm>
  </ElDialog>
</template>

<style scoped>
.group {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 6px 0;
}
.name {
  width: 190px;
}
.clients {
  flex: 1;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
