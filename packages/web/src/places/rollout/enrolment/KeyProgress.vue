<script setup lang="ts">
import { computed, ref } from 'vue'
import type { EnrolmentAttempt, EnrolmentKeyPage, MadeEnrolmentKey } from '#contract'
import { minute } from '#core'
import { api } from '../../../parts/data/api'
import { attempt, done } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { fullText, now } from '../../../parts/format/time'
import { stepsOf } from './progress'

/** The command for one key, and everyone who came with it. */
const props = defineProps<{ id: number; made: MadeEnrolmentKey | null }>()
defineEmits<{ close: [] }>()
const { data, error, refresh } = useResource(() => api.get<EnrolmentKeyPage>(`/enrolment-keys/${props.id}`), {
  topics: ['estate', 'reports', 'policy'],
})
const system = ref<'Linux' | 'Windows'>('Linux')
const commands = {
  Linux: ({ server, key, hasOwnCa }: MadeEnrolmentKey) =>
    `curl -fsSL ${hasOwnCa ? '--cacert custode-ca.pem ' : ''}${server}/agent/install.sh | sudo sh -s -- ${key}`,
  Windows: ({ server, key }: MadeEnrolmentKey) =>
    `& ([scriptblock]::Create((irm '${server}/agent/install.ps1'))) ${key}`,
}
const command = computed(() => (props.made ? commands[system.value](props.made) : ''))
const quiet = computed(() => data.value && !data.value.attempts.length && now.value - data.value.createdAt > 2 * minute)
async function copy(): Promise<void> {
  await navigator.clipboard.writeText(command.value).then(
    () => done('Copied.'),
    () => done('The browser does not let pages copy here: select the command and copy it.'),
  )
}
async function same(tried: EnrolmentAttempt): Promise<void> {
  if (await attempt(() => api.post(`/devices/${tried.device!.id}/expect-reinstall`)))
    done(`Run the command there again within an hour: it will take ${tried.device!.name} over, with its history.`)
}
</script>

<template>
  <section class="made" aria-label="Progress">
    <div class="top">
      <h2>{{ made ? 'Run this on the machine' : 'Machines that used this key' }}</h2>
      <button class="link" @click="$emit('close')">close</button>
    </div>
    <template v-if="made">
      <p class="muted"><button
        v-for="family in (['Linux', 'Windows'] as const)"
        :key="family"
        class="link which"
        :class="{ on: system === family }"
        :aria-pressed="system === family"
        @click="system = family"
      >{{ family }}</button>
        <template v-if="system === 'Linux'">as somebody who may use sudo. The agent brings all it needs, runs as a user
          of its own and starts at boot.</template><template v-else>in a PowerShell as administrator. The agent brings all it needs, runs as the system and starts
          at boot.</template> The key is shown this once.</p>
      <p v-if="made.hasOwnCa" class="muted">This server’s certificate is of an authority of your own, which the machine
        may not know. Take <a href="/agent/ca.pem" download="custode-ca.pem">custode-ca.pem</a> there first{{ system === 'Windows' ? ', and put it into the machine’s trusted root certificates' : ', into the folder where you run this' }}.</p>
      <div class="command"><pre class="mono">{{ command }}</pre><button class="btn" @click="copy">Copy</button></div>
    </template>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <p v-if="data && !data.attempts.length && made" class="waiting">Waiting for a machine to enrol…<span v-if="quiet" class="warning"> Nothing has come yet. The command says on the machine itself why it stops;
        most often this address is not reached from there: a closed port, a name that does not resolve, a proxy.</span></p>
    <p v-else-if="data && !data.attempts.length" class="muted">Nobody yet.</p>
    <div v-for="attempt in data?.attempts" :key="attempt.id" class="machine">
      <p><RouterLink
        v-if="attempt.device && attempt.outcome === 'enrolled'"
        class="mono name"
        :to="`/estate/${attempt.device.id}`"
      >{{ attempt.name }}</RouterLink><span v-else class="mono name">{{ attempt.name }}</span> <span class="muted">{{ attempt.osName }} from {{ attempt.address }}, {{ fullText(attempt.at) }}</span></p>
      <ol>
        <li v-for="step in stepsOf(attempt, now)" :key="step.name" :class="step.state"><b>{{ step.name }}</b>
          {{ step.text }}</li>
      </ol>
      <button v-if="attempt.outcome === 'refused' && attempt.device" class="btn" @click="same(attempt)">It is
        {{ attempt.device.name }}, reinstalled</button>
    </div>
  </section>
</template>

<style scoped>
.made {
  border-left: 2px solid var(--act);
  padding: 2px 0 4px 14px;
  margin: 6px 0 18px;
}
.top {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
.command {
  display: flex;
  gap: 10px;
  align-items: center;
  margin: 6px 0;
}
pre {
  flex: 1;
  margin: 0;
  background: var(--sheet);
  border: 1px solid var(--rule);
  padding: 8px 12px;
  overflow: auto;
  user-select: all;
}
.which {
  margin-right: 10px;
}
.which.on {
  color: var(--ink);
  font-weight: 600;
}
.machine {
  margin-top: 10px;
}
.name {
  font-weight: 600;
}
.waiting {
  font: 16px/24px var(--serif);
}
ol {
  list-style: none;
  margin: 4px 0 6px;
  padding: 0;
  max-width: 760px;
}
li {
  position: relative;
  padding: 1px 0 3px 20px;
  color: var(--ink2);
}
li b {
  color: var(--ink);
}
li::before {
  content: '';
  position: absolute;
  left: 3px;
  top: 7px;
  width: 8px;
  height: 8px;
  border-radius: 50%;
  border: 1.5px solid var(--ink3);
}
li:not(:last-child)::after {
  content: '';
  position: absolute;
  left: 7px;
  top: 18px;
  bottom: -5px;
  border-left: 1px solid var(--rule);
}
.done::before {
  background: var(--ink2);
}
.waiting::before {
  border-style: dashed;
}
.stuck {
  color: var(--critical);
}
.stuck::before {
  border-radius: 0;
  transform: rotate(45deg);
  border-color: var(--critical);
}
</style>
