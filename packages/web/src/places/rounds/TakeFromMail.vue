<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '../../parts/data/api'
import { useSession } from '../../parts/data/session'
import { attempt, done } from '../../parts/ui/notify'

/**
 * Whoever comes by the link of a mail takes the alert, or request, by one touch. Following the link alone takes nothing: programs that
 * look into mails follow links, too.
 */
const props = defineProps<{
  of: 'alert' | 'request'
  subject: { id: number; status: string; takenBy: string | null; takenById: number | null }
}>()
const emit = defineEmits<{ changed: [] }>()
const route = useRoute()
const router = useRouter()
const session = useSession()
const isAsked = computed(() => route.query.do === 'take' && session.mayChange)
const busy = ref(false)
const isMine = computed(() => props.subject.takenById === session.person?.id)
async function take(): Promise<void> {
  busy.value = true
  const { id } = props.subject
  const acted = await attempt(() =>
    props.of === 'alert'
      ? api.post('/alerts/acts', { ids: [id], do: 'take', text: '' })
      : api.post(`/requests/${id}/acts`, { do: 'take', text: '' }),
  )
  busy.value = false
  if (!acted) return
  done('It is yours. Nobody is told of it again.')
  emit('changed')
  await leave()
}
async function leave(): Promise<void> {
  await router.replace({ query: { ...route.query, do: undefined } })
}
</script>

<template>
  <section v-if="isAsked" class="take" aria-label="Take it">
    <p v-if="subject.status === 'closed'">It is over already: there is nothing to take. <button class="link" @click="leave">Well</button></p>
    <p v-else-if="isMine">You have it already. <button class="link" @click="leave">Well</button></p>
    <template v-else>
      <p v-if="subject.takenBy"><b>{{ subject.takenBy }}</b> has it. Take it from them?</p>
      <button class="btn main" :disabled="busy" @click="take">Take it</button>
      <button class="btn" @click="leave">Not now</button>
    </template>
  </section>
</template>

<style scoped>
.take {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: center;
  padding: 12px 0;
  border-top: 1.5px solid var(--ink);
  border-bottom: 1px solid var(--rule);
  margin: 8px 0;
}
.take .btn {
  padding: 9px 18px;
}
</style>
