<script setup lang="ts">
import { ElDatePicker } from 'element-plus/es/components/date-picker/index'
import 'element-plus/es/components/date-picker/style/css'
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { RotationBody, TeamView } from '#contract'
import { api } from '../../../parts/data/api'
import { here } from '../../../parts/format/time'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { useChecked } from '../../../parts/ui/checked'
import { attempt, done } from '../../../parts/ui/notify'

/** Whose turn is when: people in their order, one after the other. */
const props = defineProps<{ team: TeamView }>()
const emit = defineEmits<{ close: []; changed: [] }>()
const before = props.team.rotation
const turns = ref(before?.turns ?? props.team.members.map(({ id }) => id))
const rules = [
  { value: 'FREQ=WEEKLY', text: 'every week' },
  { value: 'FREQ=DAILY', text: 'every day' },
  { value: 'FREQ=WEEKLY;INTERVAL=2', text: 'every second week' },
  { value: 'FREQ=MONTHLY', text: 'every month' },
]
const rule = ref(before?.rule ?? 'FREQ=WEEKLY')
const choices = rules.some(({ value }) => value === rule.value) ? rules : [...rules, { value: rule.value, text: rule.value }]
/** Today at nine, unless turns have begun already. */
function firstStart(): string {
  const today = new Date()
  const two = (n: number) => String(n).padStart(2, '0')
  return `${today.getFullYear()}-${two(today.getMonth() + 1)}-${two(today.getDate())}T09:00:00`
}
const starts = ref(before?.starts ?? firstStart())
const zone = ref(before?.zone ?? here)
const nameOf = (id: number) => props.team.members.find((member) => member.id === id)?.name ?? 'a colleague who is not in the team'
const others = computed(() => props.team.members.filter(({ id }) => !turns.value.includes(id)))
const adding = ref<number | null>(null)
function add(id: number | null): void {
  if (id !== null) turns.value = [...turns.value, id]
  adding.value = null
}
function move(i: number, by: number): void {
  const list = [...turns.value]
  const [moved] = list.splice(i, 1)
  list.splice(i + by, 0, moved!)
  turns.value = list
}
const body = (): RotationBody => ({ starts: starts.value, zone: zone.value.trim(), rule: rule.value, turns: turns.value })
const { faults, send } = useChecked(async () => (await import('#contract')).rotationBodySchema, body)
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  const saved = await send(() => api.put(`/teams/${props.team.id}/rotation`, body()))
  busy.value = false
  if (!saved) return
  done(`${props.team.name} takes turns.`)
  emit('changed')
}
async function end(): Promise<void> {
  if (!(await attempt(() => api.delete(`/teams/${props.team.id}/rotation`)))) return
  done(`${props.team.name} takes no turns any more: rules that tell who is on call tell all of it.`)
  emit('changed')
}
</script>

<template>
  <ElDialog :model-value="true" :title="`Turns of ${team.name}`" width="600" append-to-body @close="emit('close')">
    <p class="sentence">Turns change
      <ChoiceField v-model="rule" label="How often turns change" :choices="choices" />, the first time on
      <ElDatePicker v-model="starts" type="datetime" value-format="YYYY-MM-DDTHH:mm:ss" format="ddd D MMM YYYY HH:mm" aria-label="First turn" :clearable="false" />
      on the clocks of <ElInput v-model="zone" aria-label="Time zone" class="zone" />.</p>
    <p v-for="fault in [faults.rule, faults.starts, faults.zone, faults.turns].filter(Boolean)" :key="fault" class="critical">{{ fault }}</p>
    <ol aria-label="Order of turns">
      <li v-for="(id, i) in turns" :key="`${id} ${i}`">{{ nameOf(id) }}
        <span class="acts">
          <button class="link" :disabled="i === 0" :aria-label="`${nameOf(id)} earlier`" @click="move(i, -1)">earlier</button>
          <button class="link" :disabled="i === turns.length - 1" :aria-label="`${nameOf(id)} later`" @click="move(i, 1)">later</button>
          <button class="link" :aria-label="`Leave ${nameOf(id)} out`" @click="turns = turns.filter((_, n) => n !== i)">leave out</button>
        </span></li>
    </ol>
    <p v-if="others.length"><ChoiceField :model-value="adding" label="Add somebody" placeholder="add somebody" @update:model-value="add"><option :value="null">add somebody</option><option v-for="member in others" :key="member.id" :value="member.id">{{ member.name }}</option></ChoiceField></p>
    <div class="row">
      <button class="btn main" :disabled="busy || !turns.length" @click="save">Save</button>
      <button class="btn" @click="emit('close')">Cancel</button>
      <button v-if="before" class="link end" @click="end">no turns any more</button>
    </div>
  </ElDialog>
</template>

<style scoped>
.zone {
  width: 170px;
}
ol {
  margin: 10px 0;
  padding-left: 22px;
}
.acts {
  margin-left: 12px;
  display: inline-flex;
  gap: 10px;
}
.row {
  display: flex;
  gap: 8px;
  margin-top: 12px;
}
.end {
  margin-left: auto;
}
</style>
