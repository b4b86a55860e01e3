<script setup lang="ts">
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ref } from 'vue'
import type { OwnPassword } from '#contract'
import { api } from '../../parts/data/api'
import { useChecked } from '../../parts/ui/checked'
import { done } from '../../parts/ui/notify'

/** Changed with the one that one has: whoever finds an open browser cannot take the account over. */
const current = ref('')
const password = ref('')
const busy = ref(false)
const body = (): OwnPassword => ({ current: current.value, password: password.value })
const { faults, send } = useChecked(async () => (await import('#contract')).ownPasswordSchema, body)
async function save(): Promise<void> {
  busy.value = true
  const changed = await send(() => api.put('/session/password', body()))
  busy.value = false
  if (!changed) return
  current.value = ''
  password.value = ''
  done('Your password is changed. You are signed out everywhere else.')
}
</script>

<template>
  <ElForm label-width="120px" label-position="left" class="form" @submit.prevent="save">
    <ElFormItem label="As it is now" :error="faults.current"><ElInput v-model="current" type="password" aria-label="As it is now" maxlength="200" autocomplete="current-password" /></ElFormItem>
    <ElFormItem label="From now on" :error="faults.password"><ElInput v-model="password" type="password" aria-label="From now on" show-password maxlength="200" autocomplete="new-password" placeholder="ten characters at least" /></ElFormItem>
    <button class="btn main" :disabled="busy">Change it</button>
  </ElForm>
</template>

<style scoped>
.form {
  max-width: 460px;
}
</style>
