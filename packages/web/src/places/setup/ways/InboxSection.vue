<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref, watch } from 'vue'
import type { Inbox, InboxBody } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { fullText } from '../../../parts/format/time'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import MailAsideList from './MailAsideList.vue'

/** Mail that clients’ people write: for which addresses it is taken, where, and what became no request. */
const { data: inbox, error, refresh } = useResource(() => api.get<Inbox>('/inbox'), { topics: ['requests', 'callouts'] })
const isChanging = ref(false)
const isAside = ref(false)
const addresses = ref('')
watch(isChanging, () => (addresses.value = inbox.value?.addresses.join(', ') ?? ''))
const body = (): InboxBody => ({ addresses: addresses.value.split(/[\s,;]+/).filter(Boolean) })
const { faults, send } = useChecked(async () => (await import('#contract')).inboxBodySchema, body)
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  const saved = await send(() => api.put('/inbox', body()))
  busy.value = false
  if (!saved) return
  done(body().addresses.length ? 'Mail to these addresses becomes requests in Rounds.' : 'No mail is taken any more.')
  isChanging.value = false
  await refresh()
}
const fault = computed(() => Object.values(faults.value)[0])
</script>

<template>
  <section aria-label="Mail from clients">
    <h2>Mail from clients</h2>
    <StateNotice :error="error" :loading="!inbox" @again="refresh" />
    <template v-if="inbox">
      <p v-if="inbox.addresses.length">What is written to <span class="mono">{{ inbox.addresses.join(', ') }}</span> becomes a request in Rounds; answers come from {{ inbox.addresses.length === 1 ? 'there' : 'the first of them' }}.
        <span v-if="inbox.lastCameAt" class="faint">The last mail came {{ fullText(inbox.lastCameAt) }}.</span></p>
      <p v-else class="muted">No mail is taken: whoever writes hears from somewhere else.</p>
      <p v-if="inbox.ports.length" class="faint">Taken by SMTP at <template v-for="(port, i) in inbox.ports" :key="i"><template v-if="i">, </template>the process <span class="mono">{{ port.name }}</span> at port {{ port.port }}</template>.</p>
      <p v-else-if="inbox.addresses.length" class="warning">No server process takes mail: set CUSTODE_MAIL_PORT where one runs, and start it again (docs/operations.md).</p>
      <form v-if="isChanging" class="row" @submit.prevent="save">
        <ElInput v-model="addresses" aria-label="Addresses" class="mono addresses" placeholder="help@lanternfield.example; several with commas" spellcheck="false" />
        <button class="btn main" :disabled="busy">Save</button>
        <button type="button" class="btn" @click="isChanging = false">Cancel</button>
      </form>
      <p v-if="isChanging && fault" class="critical">{{ fault }}</p>
      <p class="row">
        <button v-if="!isChanging" class="btn" @click="isChanging = true">{{ inbox.addresses.length ? 'Change the addresses' : 'Take mail' }}</button>
        <button class="link" :aria-expanded="isAside" @click="isAside = !isAside">{{ inbox.aside ? `${countText(inbox.aside, 'mail')} of the last 14 days became no request` : 'what became no request' }}</button>
      </p>
      <MailAsideList v-if="isAside" />
    </template>
  </section>
</template>

<style scoped>
section {
  border-top: 1px solid var(--rule);
  padding: 8px 0 12px;
}
h2 {
  margin-bottom: 4px;
}
.row {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-top: 6px;
}
.addresses {
  max-width: 460px;
}
</style>
