<script setup lang="ts">
import { ref } from 'vue'
import type { GatheringBody } from '#contract'
import { durationText, minute, second } from '#core'
import { api } from '../../../parts/data/api'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { attempt, done } from '../../../parts/ui/notify'

/** What keeps a storm from being forty mails. */
const props = defineProps<{ gathering: GatheringBody }>()
const emit = defineEmits<{ changed: [] }>()
const gather = ref(props.gathering.gather)
const most = ref(props.gathering.mostAnHour)
const lengths = [0, 10 * second, 30 * second, minute, 2 * minute, 5 * minute]
const many = [5, 10, 20, 30, 60]
const among = (list: readonly number[], value: number) =>
  list.includes(value) ? list : [...list, value].toSorted((a, b) => a - b)
async function save(): Promise<void> {
  if (!(await attempt(() => api.put('/ways/gathering', { gather: gather.value, mostAnHour: most.value })))) return
  done('From now on messages are gathered so.')
  emit('changed')
}
</script>

<template>
  <p class="sentence">What one person is to be told within
    <ChoiceField v-model="gather" label="Gathered for"><option v-for="length in among(lengths, gather)" :key="length" :value="length">{{ length ? durationText(length) : 'no time' }}</option></ChoiceField>
    is one message. Nobody gets more than
    <ChoiceField v-model="most" label="Most an hour"><option v-for="n in among(many, most)" :key="n" :value="n">{{ n }}</option></ChoiceField>
    an hour: what comes after them is gathered for the rest of it, and the message says so.
    <button v-if="gather !== gathering.gather || most !== gathering.mostAnHour" class="btn main" @click="save">Save</button></p>
</template>
