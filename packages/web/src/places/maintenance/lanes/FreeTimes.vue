<script setup lang="ts">
import { computed, ref } from 'vue'
import type { FreeTimes } from '#contract'
import { hour, type Millis } from '#core'
import { useAnswer } from '../../../parts/data/answer'
import { api } from '../../../parts/data/api'
import { useSession } from '../../../parts/data/session'
import { zonedText } from '../../../parts/format/time'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { lengths } from '../draft/form'

/** When nothing is planned at a client within the days in sight, at some hours of its own clocks. */
const props = defineProps<{ from: Millis; until: Millis }>()
const emit = defineEmits<{ plan: [clientId: number, from: Millis, until: Millis] }>()
const session = useSession()
const asking = ref(false)
const client = ref(session.clientId ?? session.clients[0]?.id ?? 0)
const after = ref(20)
const before = ref(6)
const least = ref<Millis>(2 * hour)
const question = computed(() =>
  asking.value
    ? `/lanes/free?client=${client.value}&from=${props.from}&until=${props.until}&after=${after.value}&before=${before.value}&least=${least.value}`
    : null,
)
const { answer, error } = useAnswer(question, (asked) => (asked ? api.get<FreeTimes>(asked) : null))
const hours = Array.from({ length: 25 }, (_, i) => i)
</script>

<template>
  <div class="free">
    <button v-if="!asking" class="link" @click="asking = true">When is nothing planned?</button>
    <template v-else>
      <p class="sentence">Nothing is planned at
        <ChoiceField v-model="client" label="Free at">
          <option v-for="each in session.clients" :key="each.id" :value="each.id">{{ each.name }}</option>
        </ChoiceField> between
        <ChoiceField v-model="after" label="After"><option
          v-for="each in hours.slice(0, 24)"
          :key="each"
          :value="each"
        >{{ each }}</option></ChoiceField> and
        <ChoiceField v-model="before" label="Before"><option
          v-for="each in hours.slice(1)"
          :key="each"
          :value="each"
        >{{ each }}</option></ChoiceField> for
        <ChoiceField v-model="least" label="At least"><option
          v-for="[millis, text] in lengths"
          :key="millis"
          :value="millis"
        >{{ text }}</option></ChoiceField>
        <button class="link close" @click="asking = false">close</button></p>
      <p v-if="error" class="critical">{{ error.message }}</p>
      <ul v-else-if="answer" class="times" aria-label="Free times">
        <li v-for="span in answer.spans.slice(0, 14)" :key="span.from">
          <button
            class="link"
            :title="`Plan a window then (${answer.zone})`"
            @click="emit('plan', client, span.from, Math.min(span.until, span.from + least))"
          >{{ zonedText(span.from, answer.zone) }} – {{ zonedText(span.until, answer.zone) }}</button>
        </li>
        <li v-if="answer.spans.length > 14" class="muted">and {{ answer.spans.length - 14 }} more</li>
        <li v-if="!answer.spans.length" class="muted">No such time within the days in sight.</li>
        <li class="faint">on the clocks of {{ answer.zone }}</li>
      </ul>
    </template>
  </div>
</template>

<style scoped>
.close {
  margin-left: 14px;
  font: 14px/20px var(--sans);
}
.times {
  display: flex;
  flex-wrap: wrap;
  gap: 0 16px;
  list-style: none;
  margin: 0;
  padding: 0;
}
</style>
