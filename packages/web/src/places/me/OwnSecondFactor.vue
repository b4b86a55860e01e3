<script setup lang="ts">
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ref } from 'vue'
import { toString as drawn } from 'qrcode'
import type { RecoveryCodes, SecondFactor, SecondFactorSecret } from '#contract'
import { countText } from '#core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { fullText } from '../../parts/format/time'
import { useChecked } from '../../parts/ui/checked'
import { done } from '../../parts/ui/notify'
import StateNotice from '../../parts/ui/StateNotice.vue'

/** Codes that change with time, from a program on one’s telephone, asked for at each sign-in beside the password. */
const emit = defineEmits<{ done: [] }>()
const { data, error, refresh } = useResource(() => api.get<SecondFactor>('/second-factor'))
/** What is under way: its secret is shown until its first code is given, and then the recovery codes, each once. */
const begun = ref<(SecondFactorSecret & { picture: string }) | null>(null)
const codes = ref<string[]>([])
const isEnding = ref(false)
const password = ref('')
const code = ref('')
const busy = ref(false)
const beginning = useChecked(async () => (await import('#contract')).ownPasswordOnlySchema, () => ({ password: password.value }))
const giving = useChecked(async () => (await import('#contract')).givenCodeSchema, () => ({ code: code.value }))
const ending = useChecked(async () => (await import('#contract')).secondFactorEndSchema, () => ({ password: password.value, code: code.value }))

async function during<T>(work: () => Promise<T | null>): Promise<T | null> {
  busy.value = true
  const answer = await work().finally(() => {
    busy.value = false
  })
  code.value = ''
  if (answer !== null) password.value = ''
  return answer
}
async function begin(): Promise<void> {
  const made = await during(() => beginning.send(() => api.post<SecondFactorSecret>('/second-factor', { password: password.value })))
  if (made) begun.value = { ...made, picture: await drawn(made.uri, { type: 'svg', margin: 1 }) }
}
async function give(): Promise<void> {
  const answer = await during(() => giving.send(() => api.put<RecoveryCodes>('/second-factor', { code: code.value })))
  if (!answer) return
  begun.value = null
  codes.value = answer.codes
  await refresh()
}
async function end(): Promise<void> {
  if (!(await during(() => ending.send(() => api.post('/second-factor/end', { password: password.value, code: code.value }))))) return
  isEnding.value = false
  codes.value = []
  done('Taken away: your password alone lets you in.')
  await refresh()
}
function haveThem(): void {
  codes.value = []
  emit('done')
}
/** An SVG of our own making, as a picture that can run nothing. */
const pictureOf = (svg: string) => `data:image/svg+xml,${encodeURIComponent(svg)}`
</script>

<template>
  <div class="factor">
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="codes.length">
      <p role="status"><b>It counts from now on.</b> Keep these recovery codes where you keep papers: each lets you in once, without your telephone. They are not shown again.</p>
      <p class="mono codes">{{ codes.join('\n') }}</p>
      <p><button class="btn" @click="haveThem">I have them</button></p>
    </template>
    <template v-else-if="begun">
      <p>Scan this with a program that makes codes, or type the secret there. Then give the code that it shows.</p>
      <img :src="pictureOf(begun.picture)" alt="The secret as a picture to scan" width="180" height="180">
      <p class="mono">{{ begun.secret }}</p>
      <ElForm label-width="120px" label-position="left" class="form" @submit.prevent="give">
        <ElFormItem label="Code" :error="giving.faults.value.code"><ElInput v-model="code" aria-label="Code" autocomplete="one-time-code" inputmode="numeric" maxlength="10" /></ElFormItem>
        <button class="btn main" :disabled="busy">Use it from now on</button>
        <button type="button" class="btn beside" @click="begun = null">Cancel</button>
      </ElForm>
    </template>
    <template v-else-if="data?.since && !isEnding">
      <p>A code is asked for at each sign-in, since {{ fullText(data.since) }}. {{ countText(data.codesLeft, 'recovery code') }} left.
        <button class="link" @click="isEnding = true">take it away</button></p>
    </template>
    <ElForm v-else-if="data" label-width="120px" label-position="left" class="form" @submit.prevent="isEnding ? end() : begin()">
      <p v-if="!isEnding">None: your password alone lets you in. With one, each sign-in asks for a code from your telephone, too.</p>
      <ElFormItem label="Your password" :error="(isEnding ? ending : beginning).faults.value.password"><ElInput v-model="password" type="password" aria-label="Your password" maxlength="200" autocomplete="current-password" /></ElFormItem>
      <ElFormItem v-if="isEnding" label="Code" :error="ending.faults.value.code"><ElInput v-model="code" aria-label="Code" autocomplete="one-time-code" maxlength="40" placeholder="or a recovery code" /></ElFormItem>
      <button class="btn main" :disabled="busy">{{ isEnding ? 'Take it away' : 'Set one up' }}</button>
      <button v-if="isEnding" type="button" class="btn beside" @click="isEnding = false">Keep it</button>
    </ElForm>
  </div>
</template>

<style scoped>
.factor {
  display: grid;
  gap: 8px;
  justify-items: start;
}
.form {
  max-width: 460px;
}
.beside {
  margin-left: 8px;
}
.codes {
  white-space: pre;
}
</style>
