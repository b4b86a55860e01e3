<script setup lang="ts">
import type { PersonListed } from '#contract'
import { day, familyWords, hour, severities, subjects } from '#core'
import { useAddressed } from '../../parts/data/addressed'
import { api } from '../../parts/data/api'
import { asOf } from '../../parts/data/asOf'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import ChoiceField from '../../parts/ui/ChoiceField.vue'
import { sinceTimes } from './sinceTimes'

/** What the round is narrowed to, as a sentence; all of it stands in the address, and so in saved views. */
const session = useSession()
const severity = useAddressed('severity')
const family = useAddressed('family')
const age = useAddressed('age')
const who = useAddressed('who')
const since = useAddressed('since')
const ages = [
  { at: hour, text: 'an hour' },
  { at: 4 * hour, text: 'four hours' },
  { at: day, text: 'a day' },
  { at: 7 * day, text: 'a week' },
]
const people = useResource(() => (session.mayChange ? api.get<PersonListed[]>('/people') : Promise.resolve([])))
const times = sinceTimes(new Date(asOf.value ?? Date.now()))
</script>

<template>
  <p class="sentence">Show
    <ChoiceField v-model="severity" label="Severity">
      <option value="">every severity</option>
      <option v-for="name in [...severities].reverse()" :key="name" :value="name">{{ name }}</option>
    </ChoiceField>
    about
    <ChoiceField v-model="family" label="Family">
      <option value="">everything</option>
      <option v-for="name in subjects" :key="name" :value="name">{{ familyWords[name] }}</option>
    </ChoiceField>
    that has failed for
    <ChoiceField v-model="age" label="Age">
      <option value="">any time</option>
      <option v-for="one in ages" :key="one.at" :value="String(one.at)">{{ one.text }} or longer</option>
    </ChoiceField>
    and is with
    <ChoiceField v-model="who" label="Who has it">
      <option value="">anybody</option>
      <option v-if="session.person" :value="String(session.person.id)">me</option>
      <option
        v-for="person in (people.data.value ?? []).filter(({ id, access }) => access !== 'contact' && id !== session.person?.id)"
        :key="person.id"
        :value="String(person.id)"
      >{{ person.name }}</option>
    </ChoiceField>;
    what is over, since
    <ChoiceField v-model="since" label="Over since">
      <option value="">I last looked</option>
      <option v-for="time in times" :key="time.name" :value="time.name">{{ time.text }}</option>
    </ChoiceField>.</p>
</template>

<style scoped>
.sentence {
  margin: 6px 0 2px;
}
</style>
