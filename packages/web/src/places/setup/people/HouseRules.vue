<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { FactorPolicy, HousePolicyView } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { confirmed } from '../../../parts/ui/confirm'
import { attempt, done } from '../../../parts/ui/notify'

/** What holds for whoever signs in, as a sentence. */
const session = useSession()
const mayChange = computed(() => session.person?.clientIds === null)
const { data, refresh } = useResource(() => api.get<HousePolicyView>('/house-policy'), { topics: ['people'] })
const factor = ref<FactorPolicy>('none')
const days = ref(7)
const length = ref(10)
watch(data, (policy) => {
  if (policy) [factor.value, days.value, length.value] = [policy.secondFactor, policy.sessionDays, policy.passwordLength]
})
const isChanged = computed(
  () =>
    data.value !== null &&
    (factor.value !== data.value.secondFactor || days.value !== data.value.sessionDays || length.value !== data.value.passwordLength),
)
const among = (list: readonly number[], value: number) => (list.includes(value) ? list : [...list, value].toSorted((a, b) => a - b))
async function save(): Promise<void> {
  const asksMore = factor.value !== 'none' && factor.value !== data.value!.secondFactor
  if (asksMore && !(await confirmed('Whoever has no second factor yet can do nothing else from then on but set one up. That may be you.', 'Ask for it'))) return
  const saved = await attempt(() =>
    api.put('/house-policy', { secondFactor: factor.value, sessionDays: days.value, passwordLength: length.value }),
  )
  if (!saved) return
  done('This holds from now on.')
  await refresh()
}
</script>

<template>
  <p v-if="data" class="sentence">A second factor is asked of
    <ChoiceField v-model="factor" label="Second factor of" :disabled="!mayChange"><option value="none">nobody</option><option value="leads">leads</option><option value="all">everybody</option></ChoiceField><span v-if="data.without" class="warning small"> ({{ countText(data.without, 'person', 'people') }} {{ data.without === 1 ? 'has' : 'have' }} none yet)</span>;
    one stays signed in for <ChoiceField v-model="days" label="Days signed in" :disabled="!mayChange"><option v-for="n in among([1, 7, 14, 30, 90], days)" :key="n" :value="n">{{ countText(n, 'day') }}</option></ChoiceField>;
    a password has <ChoiceField v-model="length" label="Length of passwords" :disabled="!mayChange"><option v-for="n in among([10, 12, 14, 16, 20], length)" :key="n" :value="n">{{ n }} characters</option></ChoiceField> at least, and is none that many people have.
    <button v-if="isChanged" class="btn main" @click="save">Save</button></p>
</template>

<style scoped>
.small {
  font: 14px/20px var(--sans);
}
</style>
