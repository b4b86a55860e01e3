<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { TemplatePage, TemplateSummary } from '#contract'
import { countText, sentenceText, templatesBeside, valueText, watchKind, type WatchSpec } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import ShortTable from '../../../parts/ui/ShortTable.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import { valuesOf } from '../impact/draft'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** Two templates side by side. */
const route = useRoute()
const router = useRouter()
const all = useResource(() => api.get<TemplateSummary[]>('/templates'), { topics: ['policy'] })
const a = computed(() => Number(route.query.a) || (all.data.value?.[0]?.id ?? 0))
const b = computed(() => Number(route.query.b) || (all.data.value?.find((template) => template.id !== a.value)?.id ?? 0))
const pages = useResource(
  async () =>
    a.value && b.value
      ? {
          a: await api.get<TemplatePage>(`/templates/${a.value}`),
          b: await api.get<TemplatePage>(`/templates/${b.value}`),
        }
      : null,
  { topics: ['policy'], sources: [a, b] },
)
const pairs = computed(() => (pages.data.value ? templatesBeside(pages.data.value.a, pages.data.value.b) : []))
const choose = (side: 'a' | 'b', id: string) =>
  void router.replace({ query: { a: String(a.value), b: String(b.value), [side]: id } })
const text = (watch: WatchSpec) => sentenceText(watchKind(watch.kind).sentence(valuesOf(watch)))
function differences(pair: (typeof pairs.value)[number]): string[] {
  if (!pair.a || !pair.b) return []
  if (pair.a.kind !== pair.b.kind)
    return ['They are different kinds of watches under one key: on a device with both, the more specific one counts.']
  const said = (watch: WatchSpec, name: string) => {
    const parameter = watchKind(watch.kind).parameters.find((each) => each.name === name)!
    return watch.values[name] === undefined
      ? `default (${valueText(parameter, parameter.default)})`
      : valueText(parameter, watch.values[name])
  }
  return pair.differs.map(
    (name) =>
      `${watchKind(pair.a!.kind).parameters.find((each) => each.name === name)?.label ?? name}: ${said(pair.a!, name)} | ${said(pair.b!, name)}`,
  )
}
const alike = computed(
  () => pairs.value.filter((pair) => pair.a && pair.b && pair.a.kind === pair.b.kind && !pair.differs.length).length,
)
const sideOf = (pair: (typeof pairs.value)[number], column: string) => pair[column as 'a' | 'b']
const nameOf = (id: number) => all.data.value?.find((template) => template.id === id)?.name ?? ''
const columns = computed(() => [
  { key: 'a', title: nameOf(a.value), grow: 1, width: 300 },
  { key: 'b', title: nameOf(b.value), grow: 1, width: 300 },
  { key: 'differs', title: 'Differs in', width: 300 },
])
</script>

<template>
  <div class="page">
    <p><RouterLink to="/policy?part=templates">Templates</RouterLink></p>
    <div class="head">
      <h1>Two templates side by side</h1>
      <span v-if="pairs.length" class="muted">{{ countText(pairs.length, 'watch', 'watches') }}, {{ alike }} alike</span>
    </div>
    <StateNotice
      :error="pages.error.value"
      :loading="!pages.data.value && all.data.value === null"
      :empty="all.data.value && all.data.value.length < 2 ? 'There are not two templates yet.' : ''"
      @again="pages.refresh"
    />
    <template v-if="pages.data.value">
      <p class="sentence">Compare
        <template v-for="side in (['a', 'b'] as const)" :key="side"><ChoiceField
          :model-value="side === 'a' ? a : b"
          :label="side === 'a' ? 'The left one' : 'The right one'"
          @update:model-value="choose(side, String($event))"
        >
          <option v-for="template in all.data.value" :key="template.id" :value="template.id">{{ template.name }}</option>
        </ChoiceField>{{ side === 'a' ? ' with ' : '' }}</template></p>
      <ShortTable label="Watches of both" :rows="pairs" :columns="columns" row-key="key">
        <template #differs="{ row: pair }">
          <span class="muted">
            <span v-for="line in differences(pair)" :key="line" class="line">{{ line }}</span>
            <span v-if="!pair.a || !pair.b" class="faint">only on one side</span>
            <span v-else-if="!differences(pair).length" class="faint">nothing</span>
          </span>
        </template>
        <template #cell="{ row: pair, column }">
          <template v-if="sideOf(pair, column)">
            <b>{{ sideOf(pair, column)!.name }}</b>
            <p class="rule">{{ text(sideOf(pair, column)!) }}</p>
          </template>
          <span v-else class="faint">has the default</span>
        </template>
      </ShortTable>
    </template>
  </div>
</template>

<style scoped>
.sentence {
  margin: 8px 0;
}
.rule {
  font: 15px/22px var(--serif);
}
.line {
  display: block;
}
</style>
