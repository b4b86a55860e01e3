<script setup lang="ts">
import { ElInputNumber } from 'element-plus/es/components/input-number/index'
import 'element-plus/es/components/input-number/style/css'
import { computed, ref } from 'vue'
import { leastArchiveDays, type Archives, type ArchiveServer } from '#contract'
import { bytesText } from '#core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { dayText } from '../../parts/format/time'
import ChoiceField from '../../parts/ui/ChoiceField.vue'
import { attempt, done } from '../../parts/ui/notify'
import ShortTable from '../../parts/ui/ShortTable.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'

/** Other database servers, for readings of long ago: what lies there, whether they answer, and what goes there. */
const { data, error, refresh } = useResource(() => api.get<Archives>('/archives'))
const isChanging = ref(false)
const server = ref('')
const days = ref(leastArchiveDays)
function change(): void {
  server.value = data.value!.target.server ?? ''
  days.value = data.value!.target.afterDays
  isChanging.value = true
}
async function save(): Promise<void> {
  const target = { server: server.value || null, afterDays: days.value }
  const answer = await attempt(() => api.put<Archives>('/archives', target))
  if (!answer) return
  data.value = answer
  isChanging.value = false
  done(target.server ? `What is older goes to ${target.server}, month by month, within hours.` : 'What is here stays here.')
}
const choices = computed(() => [
  { value: '', text: 'nowhere: it stays here' },
  ...data.value!.servers.map(({ name }) => ({ value: name, text: name })),
])
const columns = [
  { key: 'name', title: 'Server', width: 180 },
  { key: 'address', title: 'Address', width: 180 },
  { key: 'state', title: 'Now', width: 320, grow: 1 },
  { key: 'span', title: 'Holds', width: 280 },
  { key: 'size', title: 'Size', width: 110, align: 'right' as const },
]
const spanOf = ({ from, until }: ArchiveServer) =>
  from === null || until === null ? 'nothing yet' : `${dayText(from)} to ${dayText(until - 1)}`
</script>

<template>
  <section>
    <h2>Older readings on other servers</h2>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <template v-if="data">
      <p v-if="!data.servers.length" class="muted">The database knows no other server. “Scaling” in the documentation says how one is added.</p>
      <template v-else>
        <form v-if="isChanging" class="sentence" @submit.prevent="save">
          Readings, packed and summed up, go to
          <ChoiceField v-model="server" label="Server" :choices="choices" />
          <template v-if="server"> once their month has been over for
            <ElInputNumber v-model="days" :min="leastArchiveDays" :max="36500" :step="1" step-strictly size="small" aria-label="Days" />
            days</template>
          <button class="btn main">Save</button>
          <button type="button" class="btn" @click="isChanging = false">Cancel</button>
        </form>
        <p v-else class="sentence"><template v-if="data.target.server">Readings, packed and summed up, go to {{ data.target.server }} once their month, or year, has been over for {{ data.target.afterDays }} days.</template>
          <template v-else>Nothing goes to another server.</template>{{ ' ' }}
          <button class="link" aria-label="Change where older readings go" @click="change">Change</button></p>
        <ShortTable label="Other database servers" :rows="data.servers" :columns="columns" row-key="name">
          <template #cell="{ row, column }">
            <template v-if="column === 'name'">{{ row.name }}</template>
            <template v-else-if="column === 'address'">{{ row.address }}</template>
            <template v-else-if="column === 'state'">
              <template v-if="row.fault === null">answers</template>
              <span v-else class="fault">does not answer: {{ row.fault }}</span>
            </template>
            <template v-else-if="column === 'span'">{{ spanOf(row) }}</template>
            <template v-else-if="column === 'size' && row.bytes !== null">{{ bytesText(row.bytes) }}</template>
          </template>
        </ShortTable>
      </template>
    </template>
  </section>
</template>

<style scoped>
h2 {
  margin-top: 28px;
}
.sentence {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin: 8px 0 12px;
}
.fault {
  color: var(--critical);
}
</style>
