<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ref } from 'vue'
import type { OwnName } from '#contract'
import { api } from '../../parts/data/api'
import { useSession } from '../../parts/data/session'
import { useChecked } from '../../parts/ui/checked'
import { done } from '../../parts/ui/notify'

/** How one is called: in the trail, in mails, and by colleagues. */
const session = useSession()
const name = ref(session.person?.name ?? '')
const body = (): OwnName => ({ name: name.value.trim() })
const { faults, send } = useChecked(async () => (await import('#contract')).ownNameSchema, body)
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  const saved = await send(() => api.put('/session/name', body()))
  busy.value = false
  if (!saved) return
  done('Changed.')
  await session.load()
}
</script>

<template>
  <form @submit.prevent="save">
    <ElInput v-model="name" aria-label="Your name" maxlength="100" />
    <button class="btn" :disabled="busy || name.trim() === session.person?.name">Save the name</button>
    <p v-if="faults.name" class="critical">{{ faults.name }}</p>
  </form>
</template>

<style scoped>
form {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  max-width: 420px;
}
form .el-input {
  flex: 1;
}
</style>
