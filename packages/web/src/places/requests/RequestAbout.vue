<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { computed, ref } from 'vue'
import type { BoardPage, RequestPage, Rounds } from '#contract'
import { api } from '../../parts/data/api'
import { useSession } from '../../parts/data/session'
import { alertWords } from '../../parts/format/alertWords'
import { clientText } from '../../parts/format/requestWords'
import ChoiceField from '../../parts/ui/ChoiceField.vue'
import SuggestField from '../../parts/ui/SuggestField.vue'
import { attempt, done } from '../../parts/ui/notify'

/** Whose a request is and what it is about, which a mail alone does not say. */
const props = defineProps<{ request: RequestPage }>()
const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const mode = ref<'whose' | 'about' | null>(null)
const clientId = ref(props.request.clientId ?? 0)
const remember = ref(true)
const busy = ref(false)
const clients = computed(() => session.clients.map(({ id, name }) => ({ value: id, text: name })))
async function put(path: string, body: object, said: string): Promise<void> {
  busy.value = true
  const answer = await attempt(() => api.put(`/requests/${props.request.id}/${path}`, body))
  busy.value = false
  if (!answer) return
  done(said)
  mode.value = null
  emit('changed')
}
const place = () => put('client', { clientId: clientId.value, remember: remember.value }, 'Said.')

interface Thing {
  alertId: number | null
  deviceId: number | null
  text: string
  hint: string
}
/** Open alerts and devices of the client. */
async function findThings(words: string): Promise<Thing[]> {
  const query = new URLSearchParams({ client: String(props.request.clientId), words, limit: '8' })
  const [rounds, board] = await Promise.all([
    api.get<Rounds>(`/rounds?${query}`),
    api.get<BoardPage>(`/devices?${query}&order=name`),
  ])
  return [
    ...[...rounds.todo.rows, ...rounds.working.rows].map((alert) => ({
      alertId: alert.id,
      deviceId: null,
      text: `${alert.deviceName || alert.siteName}: ${alertWords(alert).strong} ${alertWords(alert).rest}`,
      hint: 'alert',
    })),
    ...board.devices.map(({ id, name }) => ({ alertId: null, deviceId: id, text: name, hint: 'device' })),
  ]
}
const join = ({ alertId, deviceId }: Pick<Thing, 'alertId' | 'deviceId'>) =>
  put('about', { alertId, deviceId }, alertId === null && deviceId === null ? 'It is about nothing in particular.' : 'Joined.')
</script>

<template>
  <div class="about">
    <p>Of <b :class="{ warning: request.clientId === null }">{{ clientText(request) }}</b><template v-if="request.alertId !== null">,
        about <RouterLink :to="`/alerts/${request.alertId}`">{{ request.alertText }}<template v-if="request.deviceName"> of <span class="mono">{{ request.deviceName }}</span></template></RouterLink></template><template
      v-else-if="request.deviceId !== null"
    >, about <RouterLink class="mono" :to="`/estate/${request.deviceId}`">{{ request.deviceName }}</RouterLink></template>
      <template v-if="session.mayChange"> ·
        <button class="link" :aria-expanded="mode === 'whose'" @click="mode = mode === 'whose' ? null : 'whose'">{{ request.clientId === null ? 'say whose it is' : 'another client' }}</button>
        <template v-if="request.clientId !== null"> · <button class="link" :aria-expanded="mode === 'about'" @click="mode = mode === 'about' ? null : 'about'">say what it is about</button></template></template></p>
    <form v-if="mode === 'whose'" @submit.prevent="place">
      <ChoiceField v-model="clientId" label="Whose it is" :choices="[{ value: 0, text: 'whose?' }, ...clients]" />
      <ElCheckbox v-model="remember">{{ request.fromAddress }} is of theirs from now on</ElCheckbox>
      <button class="btn" :disabled="busy || clientId === 0">Say so</button>
    </form>
    <div v-if="mode === 'about'" class="find">
      <SuggestField
        label="An alert or a device of the client"
        placeholder="words of an alert, or a name of a device"
        :ask="findThings"
        :none="(words) => `No open alert and no device has “${words}”.`"
        @choose="join"
      >
        <template #default="{ item }">{{ item.text }} <span class="faint">{{ item.hint }}</span></template>
      </SuggestField>
      <button v-if="request.alertId !== null || request.deviceId !== null" class="link" @click="join({ alertId: null, deviceId: null })">nothing in particular</button>
    </div>
  </div>
</template>

<style scoped>
form,
.find {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  margin-top: 6px;
}
.find {
  max-width: 460px;
}
</style>
