<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { computed } from 'vue'
import type { CredentialView } from '#contract'

/** Whether passwords go to whoever answers, in words; asked only where a sign-in has one. */
const props = defineProps<{ trials: readonly number[]; usable: readonly CredentialView[] }>()
const isMeant = defineModel<boolean>({ required: true })
const passwords = computed(() =>
  props.trials.flatMap((id) =>
    props.usable.filter((credential) => credential.id === id && credential.kind === 'password').map((credential) => `“${credential.name}”`),
  ),
)
</script>

<template>
  <p v-if="passwords.length" class="muted"> Keys are tried first. {{ passwords.join(' and ') }}
    {{ passwords.length > 1 ? 'are passwords, and go' : 'is a password, and goes' }} only to machines whose key somebody
    has accepted.
    <ElCheckbox v-model="isMeant">This time also to machines whose key nobody has accepted:</ElCheckbox>
    <span :class="{ warning: isMeant }"> whatever answers at these addresses gets
      {{ passwords.length > 1 ? 'these passwords' : 'this password' }}, and the key it shows counts as accepted by you.</span></p>
</template>

<style scoped>
p {
  max-width: 900px;
}
</style>
