<script setup lang="ts">
import { computed } from 'vue'
import type { FirstSteps } from '#contract'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import SeverityMark from '../../parts/ui/SeverityMark.vue'

/** What a new house needs, in its order, until its first machine reports; left and gone on with at any time. */
const { data } = useResource(() => api.get<FirstSteps>('/first-steps'), {
  topics: ['estate', 'people', 'callouts', 'reports'],
  isNow: true,
})
interface Step {
  isDone: boolean
  text: string
  more: string
  to: string | null
}
const steps = computed((): Step[] => {
  const it = data.value
  if (!it) return []
  return [
    {
      isDone: it.isReachable,
      text: `It is reached at ${it.address}`,
      more: it.isReachable ? '' : 'That is this machine alone. Machines of clients need an address of their own: CUSTODE_ADDRESS, where the server is started.',
      to: null,
    },
    { isDone: it.hasFactor, text: 'A second factor for yourself', more: 'You may do everything here.', to: '/me' },
    { isDone: it.hasMail, text: 'How mail leaves', more: 'For invitations, and for who is told of alerts.', to: '/setup?part=ways' },
    { isDone: it.clients > 0, text: 'The first client', more: 'Whom you work for.', to: '/setup?part=clients' },
    { isDone: it.sites > 0, text: 'Its first site', more: 'A place of theirs, with its time zone and its networks.', to: '/setup?part=clients' },
    { isDone: it.keys > 0, text: 'An enrolment key', more: 'With it comes the line that installs an agent.', to: '/rollout?part=keys' },
    { isDone: it.devices > 0, text: 'The first machine', more: 'Run that line there; it reports within a minute.', to: '/rollout?part=keys' },
    { isDone: it.rules > 0, text: 'Who is told', more: 'Else only whoever looks here hears of anything.', to: '/setup?part=callouts' },
  ]
})
const next = computed(() => steps.value.find(({ isDone, to }) => !isDone && to !== null))
</script>

<template>
  <section v-if="data && data.devices === 0" aria-label="First steps">
    <h2>First steps</h2>
    <ol>
      <li v-for="step in steps" :key="step.text" :class="{ next: step === next }">
        <SeverityMark v-if="step.isDone" state="settled" /><span v-else class="open" aria-hidden="true"></span>
        <span><RouterLink v-if="step.to && !step.isDone" :to="step.to">{{ step.text }}</RouterLink><template v-else>{{ step.text }}</template><span v-if="step.isDone" class="sr">, done</span> <span class="muted">{{ step.isDone ? '' : step.more }}</span></span>
      </li>
    </ol>
  </section>
</template>

<style scoped>
section {
  border-bottom: 1px solid var(--rule);
  padding: 6px 0 12px;
}
ol {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr);
  gap: 8px;
  align-items: baseline;
  padding: 3px 0;
}
.next {
  font-weight: 600;
}
.next .muted {
  font-weight: 400;
}
.open {
  width: 9px;
  height: 9px;
  border: 1px solid var(--ink2);
  border-radius: 50%;
}
.sr {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
