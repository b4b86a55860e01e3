<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElUpload, type UploadFile } from 'element-plus/es/components/upload/index'
import 'element-plus/es/components/upload/style/css'
import { computed, ref, watch } from 'vue'
import type { CalendarEntry, CalendarImport, CalendarImported } from '#contract'
import { countText, durationText, repeatWords } from '#core'
import { useAnswer } from '../../../parts/data/answer'
import { api } from '../../../parts/data/api'
import { useSession } from '../../../parts/data/session'
import { here, zonedText } from '../../../parts/format/time'
import { attempt, done } from '../../../parts/ui/notify'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** A file that is taken in: what it would do is shown entry by entry, before any of it is done. */
const session = useSession()
const text = ref('')
const fileName = ref('')
const clientId = ref(session.clientId ?? session.clients[0]?.id ?? 0)
async function chosen(file: UploadFile): Promise<void> {
  fileName.value = file.name
  text.value = (await file.raw?.text()) ?? ''
  results.value = []
}
const body = computed((): CalendarImport => ({
  text: text.value,
  target: { on: 'client', clientId: clientId.value },
  subject: { of: 'all' },
  zone: here,
}))
const { answer: entries, error } = useAnswer(body, (asked) =>
  asked.text ? api.post<CalendarEntry[]>('/calendar/preview', asked) : null,
)
const picked = ref<Set<string>>(new Set())
const isOffered = ({ kind }: CalendarEntry) => kind === 'new' || kind === 'changed' || kind === 'cancelled'
watch(entries, (found) => {
  picked.value = new Set((found ?? []).filter(isOffered).map(({ uid }) => uid))
})
function toggle(uid: string): void {
  const next = new Set(picked.value)
  if (!next.delete(uid)) next.add(uid)
  picked.value = next
}
const results = ref<CalendarImported[]>([])
const resultOf = (uid: string) => results.value.find((result) => result.uid === uid)
const busy = ref(false)
async function take(): Promise<void> {
  busy.value = true
  const found = await attempt(() =>
    api.post<CalendarImported[]>('/calendar', { ...body.value, uids: [...picked.value] }),
  )
  busy.value = false
  if (!found) return
  results.value = found
  const failed = found.filter(({ problem }) => problem !== null).length
  done(`${countText(found.length - failed, 'entry', 'entries')} taken in${failed ? `, ${failed} refused` : ''}.`)
}
const kindWords: Record<CalendarEntry['kind'], string> = {
  new: 'a new window',
  changed: 'changes the window',
  cancelled: 'ends the window',
  same: 'is there already, the same',
  past: 'nothing of it is to come',
  refused: 'cannot be taken',
}
const faultWords: Record<string, string> = {
  'no-start': 'it has no beginning that can be read',
  'no-end': 'it has no end; a window needs one, or a length',
  'no-zone': 'its time zone is not known; use a name such as Europe/Lisbon',
  'several-rules': 'its rule cannot be read, or it has several; split it into one entry for each',
  'no-event': 'only a changed time of it is in the file, not the entry itself',
}
const columns = [
  { key: 'pick', hint: 'Take it in', width: 34 },
  { key: 'name', title: 'Entry', width: 220 },
  { key: 'what', title: 'It', width: 190 },
  { key: 'next', title: 'Next', width: 150 },
  { key: 'repeats', title: 'Repeats', width: 210 },
  { key: 'holds', title: 'Holds everything of', width: 200, grow: 1 },
  { key: 'result', width: 160 },
] as const
</script>

<template>
  <section>
    <h2>From a file</h2>
    <div class="sentence">Take in
      <ElUpload
        class="pick"
        accept=".ics,text/calendar"
        :auto-upload="false"
        :show-file-list="false"
        :on-change="chosen"
      ><span class="btn">{{ fileName || 'a file…' }}</span></ElUpload>
      and hold, where an entry does not say it itself, all of
      <ChoiceField v-model="clientId" label="Client of the entries">
        <option v-for="client in session.clients" :key="client.id" :value="client.id">{{ client.name }}</option>
      </ChoiceField>.</div>
    <p v-if="error" class="critical" role="alert">{{ error.message }}</p>
    <template v-else-if="entries && text">
      <ShortTable label="Entries" :rows="entries" :columns="columns" row-key="uid">
        <template #pick="{ row }"><ElCheckbox
          v-if="isOffered(row)"
          :model-value="picked.has(row.uid)"
          :aria-label="`Take in ${row.name}`"
          @change="toggle(row.uid)"
        /></template>
        <template #name="{ row }"><RouterLink
          v-if="row.windowId"
          :to="`/maintenance/${row.windowId}`"
        >{{ row.name }}</RouterLink><template v-else>{{ row.name || row.uid }}</template></template>
        <template #what="{ row }"><span
          :class="{ critical: row.kind === 'refused', muted: row.kind === 'same' || row.kind === 'past' }"
        >{{ kindWords[row.kind] }}<template v-if="row.fault">: {{ faultWords[row.fault] ?? row.fault }}</template></span></template>
        <template #next="{ row }"><template v-if="row.next">{{ zonedText(row.next, row.zone) }} <span class="muted">{{ row.zone }}</span></template></template>
        <template #repeats="{ row }"><span class="muted">{{ row.rule ? repeatWords(row.rule) : 'once' }}{{ row.length ? `, ${durationText(row.length)}` : '' }}<template v-if="row.skipped">, {{ row.skipped }} skipped</template><template v-if="row.moved">, {{ row.moved }} moved</template></span></template>
        <template #holds="{ row }"><span class="muted">{{ row.targetText }}</span></template>
        <template #result="{ row }"><template v-if="resultOf(row.uid)"><RouterLink
          v-if="resultOf(row.uid)!.id"
          :to="`/maintenance/${resultOf(row.uid)!.id}`"
        >taken in</RouterLink><span
          v-else
          class="critical"
        >{{ resultOf(row.uid)!.problem }}</span></template></template>
      </ShortTable>
      <p v-if="!entries.length" class="muted">The calendar has no entry.</p>
      <p v-else><button
        class="btn main"
        :disabled="!picked.size || busy"
        @click="take"
      >Take in {{ countText(picked.size, 'entry', 'entries') }}</button></p>
    </template>
  </section>
</template>

<style scoped>
section {
  margin-top: 18px;
}
.pick {
  display: inline-block;
  vertical-align: middle;
}
.sentence {
  font: 16px/36px var(--serif);
}
</style>
