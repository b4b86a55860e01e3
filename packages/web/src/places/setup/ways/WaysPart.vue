<script setup lang="ts">
import { computed, ref } from 'vue'
import type { WayTested, Ways, WebhookView } from '#contract'
import { countText, durationText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { confirmed } from '../../../parts/ui/confirm'
import { attempt, done } from '../../../parts/ui/notify'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import GatheringLine from './GatheringLine.vue'
import InboxSection from './InboxSection.vue'
import MailDialog from './MailDialog.vue'
import MessageList from './MessageList.vue'
import WayStateText from './WayStateText.vue'
import WebhookDialog from './WebhookDialog.vue'

/** How messages leave, how that goes, and what left. */
const session = useSession()
const mayAll = computed(() => session.person?.clientIds === null)
const { data: ways, error, refresh } = useResource(() => (mayAll.value ? api.get<Ways>('/ways') : Promise.resolve(null)), { topics: ['callouts'] })
const isMail = ref(false)
const webhook = ref<WebhookView | null>()
const tested = ref<Record<string, WayTested | 'under way'>>({})
async function test(way: string, path: string): Promise<void> {
  tested.value = { ...tested.value, [way]: 'under way' }
  const answer = await attempt(() => api.post<WayTested>(path))
  const { [way]: _before, ...others } = tested.value
  tested.value = answer ? { ...others, [way]: answer } : others
}
async function remove({ id, name, waiting }: WebhookView): Promise<void> {
  const lost = waiting ? ` ${countText(waiting, 'message')} that ${waiting === 1 ? 'waits' : 'wait'} for it will not leave.` : ''
  if (!(await confirmed(`${name} is told nothing any more.${lost}`, 'Remove'))) return
  if (!(await attempt(() => api.delete(`/webhooks/${id}`)))) return
  done(`${name} is removed.`)
  await refresh()
}
const said = (way: string) => {
  const answer = tested.value[way]
  if (!answer) return null
  return answer === 'under way' ? { isWell: true, text: 'Asking…' } : { isWell: answer.isWell, text: `${answer.isWell ? 'It took the test' : 'It did not take the test'}: ${answer.answer || 'no word'}` }
}
const securityWords = { tls: 'TLS', starttls: 'STARTTLS', none: 'without TLS, on this machine' } as const
</script>

<template>
  <div>
    <StateNotice v-if="!mayAll" :error="null" :loading="false" empty="How messages leave is a matter of a lead of all clients." />
    <StateNotice v-else :error="error" :loading="!ways" @again="refresh" />
    <template v-if="ways">
      <section aria-label="Mail">
        <h2>Mail</h2>
        <p v-if="ways.mail">By <span class="mono">{{ ways.mail.host }}:{{ ways.mail.port }}</span>, {{ securityWords[ways.mail.security] }}{{ ways.mail.username ? `, as ${ways.mail.username}` : '' }}, from <span class="mono">{{ ways.mail.sender }}</span>.</p>
        <p v-else class="warning">Nobody has said yet how mail leaves: who is to be told by mail hears nothing.</p>
        <WayStateText :state="ways.mailState" />
        <p class="row">
          <button class="btn" @click="isMail = true">{{ ways.mail ? 'Change' : 'Set it up' }}</button>
          <button v-if="ways.mail" class="btn" @click="test('mail', '/ways/mail/test')">Send me a test</button>
          <span v-if="said('mail')" role="status" :class="{ critical: !said('mail')!.isWell }">{{ said('mail')!.text }}</span>
        </p>
      </section>
      <section aria-label="Webhooks">
        <h2>Webhooks</h2>
        <p class="muted">Other systems get each step as a CloudEvent (1.0, JSON), signed as Standard Webhooks has it.</p>
        <div v-for="each in ways.webhooks" :key="each.id" class="hook">
          <p><b>{{ each.name }}</b> <span class="mono">{{ each.url }}</span></p>
          <WayStateText :state="each" />
          <p class="row">
            <button class="link" :aria-label="`Change ${each.name}`" @click="webhook = each">change</button>
            <button class="link" :aria-label="`Send a test to ${each.name}`" @click="test(`webhook ${each.id}`, `/webhooks/${each.id}/test`)">send a test</button>
            <button class="link" :aria-label="`Remove ${each.name}`" @click="remove(each)">remove</button>
            <span v-if="said(`webhook ${each.id}`)" role="status" :class="{ critical: !said(`webhook ${each.id}`)!.isWell }">{{ said(`webhook ${each.id}`)!.text }}</span>
          </p>
        </div>
        <p><button class="btn" @click="webhook = null">Add a webhook</button></p>
      </section>
      <InboxSection />
      <section aria-label="Gathering">
        <h2>Not too many</h2>
        <GatheringLine :key="durationText(ways.gathering.gather) + ways.gathering.mostAnHour" :gathering="ways.gathering" @changed="refresh" />
      </section>
      <MessageList :failed="ways.mailState.failed + ways.webhooks.reduce((sum, { failed }) => sum + failed, 0)" />
      <MailDialog v-if="isMail" :mail="ways.mail" @close="isMail = false" @changed="refresh" />
      <WebhookDialog v-if="webhook !== undefined" :webhook="webhook" @close="webhook = undefined" @changed="refresh" />
    </template>
  </div>
</template>

<style scoped>
section {
  border-top: 1px solid var(--rule);
  padding: 8px 0 12px;
}
section:first-of-type {
  border-top: 0;
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
.hook {
  padding: 6px 0;
  border-bottom: 1px solid var(--rule2);
  overflow-wrap: anywhere;
}
.hook + p {
  margin-top: 8px;
}
</style>
