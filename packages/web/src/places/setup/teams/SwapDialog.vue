<script setup lang="ts">
import { ElDatePicker } from 'element-plus/es/components/date-picker/index'
import 'element-plus/es/components/date-picker/style/css'
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { computed, ref } from 'vue'
import type { SwapBody, TeamView } from '#contract'
import { day, hour } from '#core'
import { api } from '../../../parts/data/api'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'

/** Somebody else is on call for a time, a day as it comes. */
const props = defineProps<{ team: TeamView }>()
const emit = defineEmits<{ close: []; changed: [] }>()
const session = useSession()
/** Anybody takes over a turn; a lead gives it to whom they want. */
const people = computed(() => props.team.members.filter(({ id }) => session.isLead || id === session.person?.id))
const person = ref(people.value.find(({ id }) => id === session.person?.id)?.id ?? people.value[0]?.id ?? null)
const from = Math.ceil(Date.now() / hour) * hour
const span = ref<[number, number]>([from, from + day])
const body = (): SwapBody => ({ personId: person.value ?? 0, from: span.value[0], until: span.value[1] })
const { faults, send } = useChecked(async () => (await import('#contract')).swapBodySchema, body)
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  const saved = await send(() => api.post(`/teams/${props.team.id}/swaps`, body()))
  busy.value = false
  if (!saved) return
  done('The turn is swapped.')
  emit('changed')
}
</script>

<template>
  <ElDialog :model-value="true" :title="`Swap a turn of ${team.name}`" width="600" append-to-body @close="emit('close')">
    <p v-if="!people.length" class="muted">Only those who are in the team take a turn over. Ask a lead.</p>
    <template v-else>
      <p class="sentence"><ChoiceField v-model="person" label="Who"><option v-for="each in people" :key="each.id" :value="each.id">{{ each.name }}</option></ChoiceField> is on call from
        <ElDatePicker v-model="span" type="datetimerange" value-format="x" format="D MMM HH:mm" range-separator="to" aria-label="From and until" :clearable="false" @update:model-value="span = [Number(span[0]), Number(span[1])]" />.</p>
      <p v-for="fault in Object.values(faults)" :key="fault" class="critical">{{ fault }}</p>
    </template>
    <div class="row">
      <button class="btn main" :disabled="busy || !people.length" @click="save">Swap</button>
      <button class="btn" @click="emit('close')">Cancel</button>
    </div>
  </ElDialog>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
  margin-top: 12px;
}
</style>
