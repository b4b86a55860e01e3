<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, defineAsyncComponent, ref, useTemplateRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { BoardCounts, BoardDevice, BoardOrder, BoardPage, Role } from '#contract'
import { countText, numberText } from '#core'
import { useNarrow } from '../../look/narrow'
import { useAddressed } from '../../parts/data/addressed'
import { api } from '../../parts/data/api'
import { useClientInAddress } from '../../parts/data/clientInAddress'
import { usePages } from '../../parts/data/pages'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import { useKeys } from '../../parts/shell/keys'
import ChoiceField from '../../parts/ui/ChoiceField.vue'
import ColumnChoice from '../../parts/ui/ColumnChoice.vue'
import DataTable from '../../parts/ui/DataTable.vue'
import SavedViews from '../../parts/ui/SavedViews.vue'
import SeverityMark from '../../parts/ui/SeverityMark.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import type { TableHandle } from '../../parts/ui/table'
import { answersBoard, boardColumns } from './board'
import BoardCell from './BoardCell.vue'
import EstateParts from './EstateParts.vue'

const WindowDialog = defineAsyncComponent(() => import('../maintenance/draft/WindowDialog.vue'))
const session = useSession()
const route = useRoute()
const router = useRouter()
useClientInAddress()
const roles = useResource(() => api.get<Role[]>('/roles'))
const kind = useAddressed('kind')
const role = useAddressed('role')
const state = useAddressed('state')
const words = useAddressed('words')
const order = useAddressed('order', 'needs')
const reversed = useAddressed('reversed')
const by = computed<BoardOrder>(() => boardColumns.find(({ key }) => key === order.value)?.key ?? 'needs')
const shownColumns = useAddressed('columns')
const isNarrow = useNarrow()

const address = computed(() => {
  const query = new URLSearchParams({ order: by.value })
  if (reversed.value) query.set('reversed', 'true')
  if (session.clientId !== null) query.set('client', String(session.clientId))
  for (const [name, value] of [['kind', kind], ['role', role], ['state', state], ['words', words]] as const)
    if (value.value) query.set(name, value.value)
  return query.toString()
})
const table = useTemplateRef<TableHandle<BoardDevice>>('table')
const { rows, head, error, hasMore, isStale, isAsking, more, refresh, see } = usePages<string, BoardDevice, BoardCounts>({
  question: address,
  async read(query, after) {
    const page = await api.get<BoardPage>(`/devices?${query}${after === null ? '' : `&after=${after}`}`)
    return { rows: page.devices, next: page.next, head: page.counts }
  },
  readRows: (ids) => api.get<BoardDevice[]>(`/device-rows?ids=${ids.join(',')}`),
  readHead: async (query) => (await api.get<BoardPage>(`/devices?${query}&limit=0`)).counts!,
  topics: ['alerts', 'estate', 'policy', 'windows'],
  deviceOf: (device) => device.id,
  answers: answersBoard,
  isReading: () => chosen.value !== null || (table.value?.isScrolled() ?? false),
})

const countOf = (facet: 'kinds' | 'roles' | 'states', value: string) =>
  numberText(head.value?.[facet].find((each) => each.value === value)?.count ?? 0)
const kinds = computed(() => [
  { value: '', text: 'every kind of device' },
  { value: 'server', text: 'servers', hint: countOf('kinds', 'server') },
  { value: 'workstation', text: 'workstations', hint: countOf('kinds', 'workstation') },
])
const roleChoices = computed(() => [
  { value: '', text: 'any role' },
  ...(roles.data.value ?? []).map(({ id, name }) => ({ value: id, text: name, hint: countOf('roles', id) })),
])
const states = computed(() => [
  { value: '', text: 'whatever their state' },
  { value: 'needs', text: 'that need a person', hint: countOf('states', 'needs') },
  { value: 'held', text: 'with something held', hint: countOf('states', 'held') },
  { value: 'silent', text: 'that are silent', hint: countOf('states', 'silent') },
])
const columns = computed(() => {
  const standard = isNarrow.value ? ['services', 'disks', 'heard'] : null
  const wanted = shownColumns.value ? shownColumns.value.split(',') : standard
  return [
    { key: 'mark', title: '', width: 34 },
    ...boardColumns.filter(({ key }) => key === 'name' || !wanted || wanted.includes(key)),
  ]
})
/** One and the same for as long as it says the same: the table is drawn anew for another one. */
const sorting = computed(() => ({ key: by.value, reversed: reversed.value !== '' }))
const sortedBy = computed(() =>
  by.value === 'needs' ? 'what needs a person' : boardColumns.find(({ key }) => key === by.value)!.sorted,
)
function sort(wanted: { key: string; reversed: boolean }): void {
  const { order: _order, reversed: _reversed, ...query } = route.query
  void router.replace({
    query: {
      ...query,
      ...(wanted.key === 'needs' ? {} : { order: wanted.key }),
      ...(wanted.reversed ? { reversed: '1' } : {}),
    },
  })
}
const mark = (device: BoardDevice) => (device.silent ? 'silent' : (device.worst ?? (device.held ? 'held' : null)))

/** Devices chosen to do something with several of them; null: nobody is choosing. */
const chosen = ref<Set<number> | null>(null)
const planning = ref(false)
function toggle({ id }: { id: number }): void {
  const ids = new Set(chosen.value)
  if (!ids.delete(id)) ids.add(id)
  chosen.value = ids
}
const open = ({ id }: { id: number }) => void router.push(`/estate/${id}`)
useKeys('Estate', [
  { key: 'j', does: 'next device', run: () => void table.value?.move(1) },
  { key: 'k', does: 'previous device', run: () => void table.value?.move(-1) },
  {
    key: 'x',
    does: 'choose the device',
    run: () => {
      const at = table.value?.currentRow()
      if (at) toggle(at)
    },
  },
  { key: 's', does: 'sort by what needs a person', run: () => sort({ key: 'needs', reversed: false }) },
])
</script>

<template>
  <div class="page estate" :aria-busy="isAsking">
    <div class="head">
      <h1>Estate</h1>
      <span v-if="head" class="muted">{{ isAsking ? '…' : `${countText(head.total, 'device')} at ${countText(head.clients, 'client')}` }}</span>
      <span class="end">
        <button v-if="isStale" class="link" @click="refresh">The list has changed: show it anew</button>
        <template v-if="chosen">
          <b>{{ numberText(chosen.size) }} chosen</b>
          <RouterLink
            v-if="chosen.size && session.mayChange"
            class="btn"
            :to="`/rollout?part=waves&devices=${[...chosen].join(',')}`"
          >Send agents to them anew</RouterLink>
          <button v-if="chosen.size && session.mayChange" class="btn" @click="planning = true">Hold alerts back</button>
          <button class="link" @click="chosen = new Set(rows.map((device) => device.id))">all {{ numberText(rows.length) }} that were read</button>
          <button class="link" @click="chosen = null">none</button>
        </template>
        <button v-else-if="rows.length && session.mayChange" class="link" @click="chosen = new Set()">choose several</button>
        <span class="muted">sorted by {{ sortedBy }}{{ reversed ? ', last first' : '' }}</span>
        <ColumnChoice v-model="shownColumns" :columns="boardColumns.slice(1)" />
        <SavedViews place="estate" />
      </span>
    </div>
    <EstateParts />
    <div class="sentence">
      <span>Show</span>
      <ChoiceField v-model="kind" label="Kind" :choices="kinds" />
      <span>of <b>{{ session.client?.name ?? 'every client' }}</b>,</span>
      <ChoiceField v-model="role" label="Role" :choices="roleChoices" />
      <span>,</span>
      <ChoiceField v-model="state" label="State" :choices="states" />
      <ElInput
        v-model="words"
        class="narrow"
        size="small"
        clearable
        aria-label="Narrow by words"
        placeholder="narrow by name, client, system, tag"
        maxlength="100"
      />
    </div>
    <StateNotice
      :error="error"
      :loading="!head || (isAsking && !rows.length)"
      :empty="head && !rows.length && !isAsking ? 'No device matches this sentence.' : ''"
      @again="refresh"
    />
    <DataTable
      v-if="rows.length"
      ref="table"
      class="list"
      label="Devices"
      :rows="rows"
      :columns="columns"
      :total="head?.total ?? -1"
      :order="sorting"
      :chosen="chosen"
      @open="open"
      @choose="toggle"
      @sort="sort"
      @near="more"
      @see="see"
    >
      <template #cell="{ row, column }">
        <template v-if="column === 'mark'">
          <ElCheckbox
            v-if="chosen"
            tabindex="-1"
            :model-value="chosen.has(row.id)"
            @update:model-value="toggle(row)"><span class="visually-hidden">Choose {{ row.name }}</span></ElCheckbox>
          <SeverityMark v-else :state="mark(row)" />
        </template>
        <BoardCell v-else :device="row" :column="column" />
      </template>
    </DataTable>
    <p v-if="head && rows.length && !isAsking" class="muted foot">{{ hasMore ? `${numberText(rows.length)} of ${numberText(head.total)} read; the others come as you go down.` : `All ${numberText(rows.length)} are here.` }}</p>
    <WindowDialog
      v-if="planning && chosen"
      :begin="{ clientId: session.clientId ?? session.clients[0]?.id ?? 0, deviceIds: [...chosen] }"
      :devices-name="countText(chosen.size, 'chosen device')"
      @close="planning = false"
    />
  </div>
</template>

<style scoped>
.estate {
  display: flex;
  flex-direction: column;
  overflow: hidden;
  padding-bottom: 8px;
}
.sentence {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 7px;
  margin: 8px 0;
}
.narrow {
  width: 250px;
  margin-left: auto;
  align-self: center;
}
.list {
  flex: 1;
}
.foot {
  padding-top: 6px;
}
</style>
