<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { SignInWays } from '#contract'
import type { ApiError } from '../../parts/data/api'
import { api } from '../../parts/data/api'
import { useSession } from '../../parts/data/session'

const route = useRoute()
const router = useRouter()
const session = useSession()
const email = ref('')
const password = ref('')
/** Asked for once the server has said that one is needed. */
const isCodeAsked = ref(false)
const code = ref('')
/** A telephone of one’s own; not a machine at a client. */
const stay = ref(false)
/** What kept somebody out who came back from the provider. */
const fault = ref(typeof route.query.problem === 'string' ? route.query.problem : '')
/** Asked once: whoever is not signed in hears of no changes. */
const provider = ref<string | null>(null)
onMounted(async () => {
  provider.value = (await api.get<SignInWays>('/session/ways').catch(() => null))?.provider ?? null
})
const providerAddress = computed(() => `/api/session/provider?to=${encodeURIComponent(typeof route.query.to === 'string' ? route.query.to : '/rounds')}`)
const busy = ref(false)
async function signIn(): Promise<void> {
  busy.value = true
  fault.value = ''
  try {
    await api.post('/session', {
      email: email.value,
      password: password.value,
      stay: stay.value,
      ...(isCodeAsked.value ? { code: code.value } : {}),
    })
    await session.load()
    const to = route.query.to
    // Only places of our own: an address of another site must not be a way out.
    await router.replace(typeof to === 'string' && /^\/(?!\/)/.test(to) ? to : '/rounds')
  } catch (error) {
    const { problem, message } = error as ApiError
    // It is no fault to have a second factor: its field comes, and is asked for.
    if (problem.code === 'second-factor-needed' && !isCodeAsked.value) isCodeAsked.value = true
    else fault.value = message
    code.value = ''
  }
  busy.value = false
}
/** The same is said whoever it is. */
const heard = ref('')
async function forgotten(): Promise<void> {
  fault.value = ''
  if (!email.value.trim()) {
    fault.value = 'Write your e-mail address first.'
    return
  }
  try {
    await api.post('/session/forgotten', { email: email.value.trim() })
    heard.value = `If ${email.value.trim()} has an account here, a mail with a link is on its way. If none comes, ask a lead.`
  } catch (error) {
    fault.value = (error as ApiError).message
  }
}
</script>

<template>
  <form class="sign-in" @submit.prevent="signIn">
    <h1>Custode</h1>
    <p class="muted">Walk the rounds.</p>
    <label>E-mail address<ElInput v-model="email" type="email" autocomplete="username" required autofocus /></label>
    <label>Password<ElInput v-model="password" type="password" autocomplete="current-password" required /></label>
    <label v-if="isCodeAsked">Code of your second factor, or a recovery code<ElInput v-model="code" autocomplete="one-time-code" inputmode="text" spellcheck="false" maxlength="40" required autofocus /></label>
    <ElCheckbox v-model="stay">Stay signed in on this device</ElCheckbox>
    <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
    <p v-if="heard" role="status">{{ heard }}</p>
    <button class="btn main" :disabled="busy">Sign in</button>
    <a v-if="provider" class="btn" :href="providerAddress">Sign in by {{ provider }}</a>
    <button type="button" class="link" @click="forgotten">I have forgotten my password</button>
  </form>
</template>

<style scoped>
.sign-in {
  width: 300px;
  margin: 18vh auto 0;
  display: grid;
  gap: 14px;
  justify-items: start;
}
h1 {
  font-size: 30px;
  line-height: 36px;
}
label {
  display: grid;
  gap: 3px;
  width: 100%;
  color: var(--ink2);
}
input {
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--ink2);
  border-radius: 3px;
  padding: 6px 9px;
}
</style>
