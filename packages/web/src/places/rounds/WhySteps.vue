<script setup lang="ts">
import { computed, ref } from 'vue'
import type { AlertPage, HeldView, RemediationView } from '#contract'
import { countText } from '#core'
import { attemptText, causeText, entryText } from '../../parts/format/alertWords'
import { fullText } from '../../parts/format/time'
import PolicyLink from '../../parts/ui/PolicyLink.vue'

/** Why there is this alert, or why it is held, step by step; each step names what decided it. */
const props = defineProps<{ alert: AlertPage | null; held: HeldView | null; remediation: RemediationView | null }>()
const about = computed(() => props.alert ?? props.held ?? props.remediation!)
const sources = computed(() =>
  about.value.rule.sources.map((source) => ({
    ...source,
    words: {
      template: `${source.name}, revision ${source.revision}`,
      assignment: `a value of its own where ${source.name} is assigned`,
      exception: `an exception: ${source.name}`,
      default: '',
    }[source.from],
  })),
)
const isWhole = ref(false)
/** Of a long history the newest, until somebody asks for all of it. */
const shown = computed(() => (isWhole.value ? (props.alert?.entries ?? []) : (props.alert?.entries ?? []).slice(-12)))
const template = computed(() => sources.value.find((source) => source.from === 'template'))
const others = computed(() => sources.value.filter((source) => source !== template.value))
</script>

<template>
  <ol>
    <li>{{ fullText(about.began) }} it began to fail<template v-if="about.evidence">; last seen: {{ about.evidence.text }}</template></li>
    <li v-if="template">the rule comes from <PolicyLink :template-id="template.id">{{ template.words }}</PolicyLink><template v-for="source in others" :key="source.from + source.id">, with {{ source.words }}</template></li>
    <template v-if="held">
      <li>held back by <RouterLink :to="`/maintenance/${held.windowId}`">{{ held.windowName }}</RouterLink>{{ held.windowEnd ? ` until ${fullText(held.windowEnd)}; what still fails then is raised` : ', which has no end' }}</li>
    </template>
    <template v-else-if="remediation">
      <li v-for="(attempt, i) in remediation.attempts" :key="i"><span class="faint">{{ fullText(attempt.at) }}</span>
        {{ attemptText(attempt) }}<template v-if="attempt.text">: {{ attempt.text }}</template></li>
      <li v-if="remediation.endedAt">{{ fullText(remediation.endedAt) }} it was well, and nobody had to be told</li>
      <li v-else>a person is told when trying does not help</li>
    </template>
    <template v-else-if="alert">
      <li v-if="alert.windowId">it was held by
        <RouterLink :to="`/maintenance/${alert.windowId}`">{{ alert.windowName }}</RouterLink> and raised when that
        ended</li>
      <li v-else>no window covered it when it was raised</li>
      <li v-if="alert.carrier">it is {{ causeText(alert) }}:
        <RouterLink :to="`/alerts/${alert.carrier.id}`">that alert</RouterLink> stands for it</li>
      <li v-if="alert.entries.length > shown.length"><button class="link" @click="isWhole = true">{{ countText(alert.entries.length - shown.length, 'entry', 'entries') }}
        before these</button></li>
      <li v-for="(entry, i) in shown" :key="i"><span class="faint">{{ fullText(entry.at) }}</span>
        {{ entryText(entry) }}<template v-if="entry.by"> by {{ entry.by }}</template><template v-if="entry.text && entry.event !== 'raised'">: {{ entry.text }}</template></li>
    </template>
  </ol>
</template>

<style scoped>
ol {
  list-style: none;
  margin: 0;
  padding: 0 0 0 2px;
  border-left: 1px solid var(--rule);
}
li {
  padding: 3px 0 3px 13px;
  position: relative;
  overflow-wrap: anywhere;
}
li::before {
  content: '';
  position: absolute;
  left: -5.5px;
  top: 10px;
  width: 6px;
  height: 6px;
  border-radius: 50%;
  background: var(--ink2);
}
</style>
