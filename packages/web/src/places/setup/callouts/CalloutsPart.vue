<script setup lang="ts">
import { computed, defineAsyncComponent, ref } from 'vue'
import type { CalloutRuleView } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { exactText, fullText } from '../../../parts/format/time'
import { confirmed } from '../../../parts/ui/confirm'
import { attempt, done } from '../../../parts/ui/notify'
import RuleSentence from '../../../parts/ui/RuleSentence.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { useRecipients } from './recipients'

/** With the target and what it would have sent: loaded when somebody writes. */
const CalloutEditor = defineAsyncComponent(() => import('./CalloutEditor.vue'))

/** Who is told of which alerts, when, and what happens if nobody acts: a sentence each. */
const session = useSession()
const { data: rules, error, refresh } = useResource(() => api.get<CalloutRuleView[]>('/callouts'), {
  topics: ['callouts', 'estate'],
})
const { teams } = useRecipients()
const onCall = computed(() => (teams.data.value ?? []).filter((team) => team.onCall !== null))
/** Which one is being written; null: a new one; undefined: none. */
const writing = ref<CalloutRuleView | null>()
const shown = computed(() =>
  (rules.value ?? []).filter(({ rule }) => rule.clientId === null || session.inView(rule.clientId)),
)
async function pause(rule: CalloutRuleView): Promise<void> {
  const isPaused = !rule.isPaused
  if (!(await attempt(() => api.put(`/callouts/${rule.id}/pause`, { isPaused })))) return
  done(isPaused ? `“${rule.name}” is paused: it tells nobody.` : `“${rule.name}” goes on. What is open by now is told.`)
  await refresh()
}
async function remove(rule: CalloutRuleView): Promise<void> {
  if (!(await confirmed(`“${rule.name}” tells nobody any more, also of what is open. What it has sent stays on record.`, 'Remove'))) return
  if (!(await attempt(() => api.delete(`/callouts/${rule.id}`)))) return
  done(`“${rule.name}” is removed.`)
  await refresh()
}
async function saved(): Promise<void> {
  writing.value = undefined
  await refresh()
}
</script>

<template>
  <div>
    <p class="tools">
      <span v-if="onCall.length" class="muted">On call now: <template v-for="(team, i) in onCall" :key="team.id"><template v-if="i">, </template>{{ team.name }}: <b>{{ team.onCall }}</b></template></span>
      <button v-if="writing === undefined" class="btn main add" @click="writing = null">Add a rule</button>
    </p>
    <CalloutEditor v-if="writing === null" :before="null" @saved="saved" @close="writing = undefined" />
    <StateNotice
      :error="error"
      :loading="!rules"
      :empty="rules && !shown.length && writing === undefined ? 'Nobody is told of anything: whoever does not look at Rounds hears nothing. Add the first rule.' : ''"
      @again="refresh"
    />
    <article v-for="rule in shown" :key="rule.id" :class="{ paused: rule.isPaused }" :aria-label="rule.name">
      <CalloutEditor v-if="writing?.id === rule.id" :before="rule" @saved="saved" @close="writing = undefined" />
      <template v-else>
        <div class="head2">
          <h3>{{ rule.name }}</h3>
          <span v-if="rule.isPaused" class="warning">paused</span>
          <span class="faint" :title="exactText(rule.savedAt)">{{ rule.savedBy ?? 'the server' }}, {{ fullText(rule.savedAt) }}</span>
          <span v-if="rule.mayChange" class="acts">
            <button class="link" :aria-label="`Change ${rule.name}`" @click="writing = rule">change</button>
            <button class="link" :aria-label="`${rule.isPaused ? 'Resume' : 'Pause'} ${rule.name}`" @click="pause(rule)">{{ rule.isPaused ? 'resume' : 'pause' }}</button>
            <button class="link" :aria-label="`Remove ${rule.name}`" @click="remove(rule)">remove</button>
          </span>
        </div>
        <RuleSentence :parts="rule.sentence" />
      </template>
    </article>
    <p v-if="shown.length" class="faint">{{ countText(shown.length, 'rule') }}. Several may fit one alert: each tells whom it says; one person gets one message.</p>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 12px;
  align-items: center;
  margin: 12px 0;
}
.add {
  margin-left: auto;
}
article {
  border-top: 1px solid var(--rule);
  padding: 8px 0 10px;
}
.head2 {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
.acts {
  margin-left: auto;
  display: flex;
  gap: 12px;
}
.paused .sentence {
  opacity: 0.7;
}
</style>
