<script setup lang="ts">
import { computed, toRef } from 'vue'
import { auditKinds, type AuditLine, type PersonListed } from '#contract'
import { day, hour } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { api } from '../../../parts/data/api'
import { useNewestFirst } from '../../../parts/data/parts'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import TrailTable from './TrailTable.vue'

/** Who did what to what, when and from where. Nobody can change it. */
const session = useSession()
const people = useResource(() => api.get<PersonListed[]>('/people'))
const who = useAddressed('who')
const kind = useAddressed('kind')
const since = useAddressed('since')
const spans: Record<string, number> = { hour, day, week: 7 * day, month: 31 * day, year: 366 * day }
const query = computed(() => {
  const asked = new URLSearchParams()
  if (who.value) asked.set('person', who.value)
  if (kind.value) asked.set('kind', kind.value)
  if (session.clientId !== null) asked.set('client', String(session.clientId))
  if (spans[since.value]) asked.set('from', String(Date.now() - spans[since.value]!))
  return asked
})
const { data, error, refresh, hasMore, more } = useNewestFirst<AuditLine>(
  (part) => api.get(`/audit?${part}&${query.value}`),
  { topics: ['people', 'policy', 'windows', 'estate', 'alerts'], sources: [query, toRef(session, 'clientId')] },
)
const rows = computed(() => data.value ?? [])
const isNarrowed = computed(() => query.value.size > 0)
</script>

<template>
  <div>
    <p class="sentence">What
      <ChoiceField v-model="who" label="Who">
        <option value="">anybody</option>
        <option v-for="person in people.data.value" :key="person.id" :value="String(person.id)">{{ person.name }}</option>
      </ChoiceField> did to
      <ChoiceField v-model="kind" label="Kind of thing">
        <option value="">anything</option>
        <option v-for="each in auditKinds" :key="each" :value="each">{{ each === 'agent update' ? 'an' : 'a' }} {{ each }}</option>
      </ChoiceField>
      <ChoiceField v-model="since" label="Since">
        <option value="">since it is kept</option>
        <option value="hour">in the last hour</option>
        <option value="day">in the last day</option>
        <option value="week">in the last week</option>
        <option value="month">in the last month</option>
        <option value="year">in the last year</option>
      </ChoiceField>
    </p>
    <p><a class="btn" :href="`/api/audit.csv?${query}`" download>As CSV</a> <span class="muted">all of it, however long</span></p>
    <StateNotice
      :error="error"
      :loading="!data"
      :empty="data && !rows.length ? (isNarrowed ? 'Nothing of the kind was done.' : 'Nothing has been done yet.') : ''"
      @again="refresh"
    />
    <TrailTable v-if="rows.length" label="Audit trail" :rows="rows" />
    <p v-if="hasMore"><button class="link" @click="more">older ones</button></p>
  </div>
</template>

<style scoped>
.sentence {
  margin: 12px 0;
  line-height: 34px;
}
</style>
