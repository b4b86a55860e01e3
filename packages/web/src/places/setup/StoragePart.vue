<script setup lang="ts">
import { ElInputNumber } from 'element-plus/es/components/input-number/index'
import 'element-plus/es/components/input-number/style/css'
import { computed, ref } from 'vue'
import { storageWords, type Storage, type StoredKind } from '#contract'
import { bytesText } from '#core'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { exactText, shortText } from '../../parts/format/time'
import { attempt, done } from '../../parts/ui/notify'
import ShortTable from '../../parts/ui/ShortTable.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import ArchiveServers from './ArchiveServers.vue'

/** How large everything is, how fast it grows, and how long it is kept. */
const { data, error, refresh } = useResource(() => api.get<Storage>('/storage'))
/** Of the kind that is being changed. */
const changing = ref<StoredKind | null>(null)
const days = ref(0)
function change(kind: StoredKind): void {
  changing.value = kind
  days.value = kind.days
}
async function save(): Promise<void> {
  const { kind } = changing.value!
  const answer = await attempt(() => api.put<Storage>('/storage', { kind, days: days.value }))
  if (!answer) return
  data.value = answer
  changing.value = null
  done(`Kept for ${days.value} days from now on. What is older goes within a day.`)
}
const growth = computed(() => data.value?.kinds.reduce((sum, kind) => sum + Math.max(0, kind.bytesPerDay ?? 0), 0) ?? 0)
const isShared = (kind: StoredKind) => kind.kind === 'log-quiet'
const signed = (bytes: number) => `${bytes < 0 ? '−' : '+'}${bytesText(Math.abs(bytes))}`
const columns = [
  { key: 'what', title: 'What', width: 200, grow: 1 },
  { key: 'size', title: 'Size', width: 110, align: 'right' as const },
  { key: 'rows', title: 'Rows, about', width: 130, align: 'right' as const },
  { key: 'growth', title: 'A day', width: 120, align: 'right' as const },
  { key: 'oldest', title: 'Oldest', width: 130 },
  { key: 'kept', title: 'Kept for', width: 330 },
]
</script>

<template>
  <div>
    <p class="sentence"><template v-if="data">{{ bytesText(data.databaseBytes) }} in all<template v-if="growth">, growing by about {{ bytesText(growth) }} a day</template>.
      </template>What is older than is kept goes by itself, once a day. Readings and the log go by the week.</p>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <ShortTable v-if="data" label="Kinds of data" :rows="data.kinds" :columns="columns" row-key="kind">
      <template #cell="{ row, column }">
        <template v-if="column === 'what'">{{ storageWords[row.kind] }}</template>
        <template v-else-if="column === 'size'">
          <span v-if="isShared(row)" class="muted">in the log</span>
          <template v-else>{{ bytesText(row.bytes) }}</template>
        </template>
        <template v-else-if="column === 'rows' && !isShared(row)">
          <span v-if="row.rows === 0 && row.oldestAt !== null" class="faint" title="The database counts after some use.">not counted yet</span>
          <template v-else>{{ row.rows.toLocaleString('en') }}</template>
        </template>
        <template v-else-if="column === 'growth' && !isShared(row)">
          <span
            v-if="row.bytesPerDay === null"
            class="faint"
            title="Known from tomorrow on: one size is noted each day."
          >not known yet</span>
          <template v-else>{{ signed(row.bytesPerDay) }}</template>
        </template>
        <template v-else-if="column === 'oldest'">
          <span v-if="row.oldestAt === null" class="faint">nothing yet</span>
          <span v-else :title="exactText(row.oldestAt)">{{ shortText(row.oldestAt) }}</span>
        </template>
        <template v-else-if="column === 'kept'">
          <form v-if="changing?.kind === row.kind" class="keep" @submit.prevent="save">
            <ElInputNumber
              v-model="days"
              :min="row.leastDays"
              :max="36500"
              :step="1"
              step-strictly
              size="small"
              :aria-label="`Days that ${storageWords[row.kind]} are kept`"
            />
            days <button class="btn main">Save</button>
            <button type="button" class="btn" @click="changing = null">Cancel</button>
          </form>
          <template v-else>{{ row.days }} days
            <span v-if="row.days !== row.standardDays" class="muted">({{ row.standardDays }} unless changed)</span>
            <button
              class="link"
              :aria-label="`Change how long ${storageWords[row.kind]} are kept`"
              @click="change(row)"
            >change</button></template>
        </template>
      </template>
    </ShortTable>
    <ArchiveServers />
  </div>
</template>

<style scoped>
.sentence {
  margin: 8px 0 12px;
}
.keep {
  display: flex;
  gap: 8px;
  align-items: center;
}
.keep .btn {
  padding: 1px 9px;
}
</style>
