<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed } from 'vue'
import type { PersonListed } from '#contract'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ReviewDate from '../../policy/exceptions/ReviewDate.vue'
import type { WindowForm } from './form'

/** What is said of a window beside its sentence: name, reason, work order, who answers for it, why it is changed. */
defineProps<{
  /** Its name, where none is given. */
  fallback: string
  owner: string
  /** Only one of its times is changed. */
  isOne: boolean
  isChange: boolean
}>()
const form = defineModel<WindowForm>({ required: true })
const why = defineModel<string>('why', { required: true })
const people = useResource(() => api.get<PersonListed[]>('/people'))
const owners = computed(() => (people.data.value ?? []).filter(({ access }) => access !== 'contact'))
</script>

<template>
  <div class="fields">
    <template v-if="!isOne">
      <label>Name
        <ElInput v-model="form.name" :placeholder="fallback" maxlength="100" aria-label="Name" /></label>
      <label>Why
        <ElInput v-model="form.reason" placeholder="What is being done" maxlength="500" aria-label="Why" /></label>
      <label>Ticket
        <ElInput
          v-model="form.ticket"
          placeholder="Number or address of the work order"
          maxlength="300"
          aria-label="Ticket"
        /></label>
      <div class="row">
        <span class="muted">Owner</span>
        <ChoiceField v-model="form.ownerId" label="Owner">
          <option :value="null">{{ owner }}</option>
          <option v-for="person in owners" :key="person.id" :value="person.id">{{ person.name }}</option>
        </ChoiceField>
        <ReviewDate
          v-if="form.ends === 'open' || form.repeat !== 'once'"
          :at="form.reviewAt"
          @change="(at) => { form.reviewAt = at }"
        />
      </div>
    </template>
    <label v-if="isChange">Why changed
      <ElInput
        v-model="why"
        placeholder="Stands in the history of the window"
        maxlength="300"
        aria-label="Why changed"
      /></label>
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  gap: 8px;
}
.fields label {
  display: grid;
  grid-template-columns: 92px 1fr;
  align-items: center;
  color: var(--ink2);
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
}
</style>
