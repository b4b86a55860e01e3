<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { InvitationSeen } from '#contract'
import { api, ApiError } from '../../parts/data/api'
import StateNotice from '../../parts/ui/StateNotice.vue'

/** Who comes by a link of theirs chooses a password, and then signs in with it. The secret stands behind the #: it reaches no log. */
const router = useRouter()
const secret = window.location.hash.slice(1)
const seen = ref<InvitationSeen | null>(null)
const error = ref<ApiError | null>(null)
const password = ref('')
const fault = ref('')
const busy = ref(false)
async function look(): Promise<void> {
  error.value = null
  try {
    seen.value = await api.post<InvitationSeen>('/invitations/look', { secret })
  } catch (problem) {
    if (!(problem instanceof ApiError)) throw problem
    error.value = problem
  }
}
onMounted(look)
async function choose(): Promise<void> {
  busy.value = true
  fault.value = ''
  try {
    await api.post('/invitations/take', { secret, password: password.value })
    await api.post('/session', { email: seen.value!.email, password: password.value }).catch(() => undefined)
    // With a second factor the code is asked where one signs in.
    await router.replace('/rounds')
  } catch (problem) {
    if (!(problem instanceof ApiError)) throw problem
    fault.value = problem.message
  }
  busy.value = false
}
</script>

<template>
  <form class="invited" @submit.prevent="choose">
    <h1>Custode</h1>
    <StateNotice :error="error" :loading="!seen && !error" @again="look" />
    <p v-if="error"><RouterLink to="/sign-in">Sign in</RouterLink></p>
    <template v-if="seen">
      <p>{{ seen.isNew ? `Welcome, ${seen.name}.` : `${seen.name},` }} Choose {{ seen.isNew ? 'a' : 'another' }} password for <b>{{ seen.email }}</b>.</p>
      <input type="hidden" autocomplete="username" :value="seen.email" />
      <label>Password, {{ seen.passwordLength }} characters at least<ElInput v-model="password" type="password" show-password autocomplete="new-password" maxlength="200" required autofocus /></label>
      <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
      <button class="btn main" :disabled="busy">Choose it</button>
    </template>
  </form>
</template>

<style scoped>
.invited {
  width: 340px;
  max-width: 92vw;
  margin: 16vh auto 0;
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
</style>
