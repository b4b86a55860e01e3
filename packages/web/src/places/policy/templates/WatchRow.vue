<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import { osFamilies, rangeText, valueText, watchKind, type OsFamily, type ParameterType, type WatchSpec } from '#core'
import RuleSentence from '../../../parts/ui/RuleSentence.vue'
import { valuesOf } from '../impact/draft'
import ShortTable from '../../../parts/ui/ShortTable.vue'

/** One watch of a template: its sentence, and on request all that can be said of it. */
const props = defineProps<{
  spec: WatchSpec
  saved: WatchSpec | null
  number: number
  editable: boolean
  faults: string[]
}>()
const emit = defineEmits<{
  pick: [name: string, element: HTMLElement]
  change: [fields: Partial<WatchSpec>]
  open: [name: string]
  remove: []
  move: [by: 1 | -1]
}>()
const more = ref(false)
const kind = computed(() => watchKind(props.spec.kind))
const values = computed(() => valuesOf(props.spec))
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)
const changed = (name: string) => props.saved !== null && !same(values.value[name], valuesOf(props.saved)[name])
const was = computed(() =>
  props.saved
    ? kind.value.parameters
        .filter((parameter) => changed(parameter.name))
        .map((parameter) => `${parameter.label} was ${valueText(parameter, valuesOf(props.saved!)[parameter.name] ?? null)}`)
    : ['new'],
)
const systems = computed(() =>
  props.spec.osFamilies.length
    ? ` Only on ${props.spec.osFamilies.map((os) => (os === 'linux' ? 'Linux' : 'Windows')).join(', ')}.`
    : '',
)
const units: Partial<Record<ParameterType, string>> = {
  percent: '%',
  bytes: 'bytes',
  duration: 'time',
  patterns: 'names',
  lines: 'lines',
  hours: 'hours',
}
function toggle(os: OsFamily, on: boolean): void {
  emit('change', {
    osFamilies: on ? [...props.spec.osFamilies, os] : props.spec.osFamilies.filter((family) => family !== os),
  })
}
const columns = [
  { key: 'label', title: 'Parameter' },
  { key: 'here', title: 'Here' },
  { key: 'standard', title: 'Default' },
  { key: 'unit', title: 'Unit' },
  { key: 'about', title: 'What it does' },
] as const
</script>

<template>
  <div class="watch">
    <span class="faint">{{ number }}</span>
    <div>
      <p class="name"><b>{{ spec.name }}</b> <button
        class="link"
        :aria-expanded="more"
        :aria-label="`${more ? 'Less' : 'More'} of ${spec.name}`"
        @click="more = !more"
      >{{ more ? 'less' : 'more' }}</button></p>
      <RuleSentence
        :parts="kind.sentence(values)"
        :editable="editable"
        :marked="changed"
        @pick="(name, element) => emit('pick', name, element)"
      />
      <p class="faint">{{ spec.why }}{{ systems }}</p>
      <p v-for="fault in faults" :key="fault" class="critical" role="alert">{{ fault }}</p>
      <div v-if="more" class="all">
        <template v-if="editable">
          <p class="fields">
            <label>Name <ElInput :model-value="spec.name" maxlength="100" @change="emit('change', { name: $event })" /></label>
            <span>Only on
              <ElCheckbox
                v-for="os in osFamilies"
                :key="os"
                :model-value="spec.osFamilies.includes(os)"
                @update:model-value="toggle(os, Boolean($event))"
              >{{ os === 'linux' ? 'Linux' : 'Windows' }}</ElCheckbox></span>
          </p>
          <label class="why">Explanation
            <ElInput :model-value="spec.why" maxlength="1000" @change="emit('change', { why: $event })" /></label>
        </template>
        <ShortTable :label="`Parameters of ${spec.name}`" :rows="kind.parameters" :columns="columns" row-key="name">
          <template #label="{ row: parameter }">{{ parameter.label }}</template>
          <template #here="{ row: parameter }"><button
                          v-if="editable"
                          class="link"
                          :class="{ set: spec.values[parameter.name] !== undefined }"
                          :data-parameter="parameter.name"
                          @click="emit('pick', parameter.name, $event.currentTarget as HTMLElement)"
                        >{{ valueText(parameter, values[parameter.name] ?? null) }}</button>
                        <span v-else>{{ valueText(parameter, values[parameter.name] ?? null) }}</span>
                        <button
                          v-if="editable && spec.values[parameter.name] !== undefined"
                          class="link faint"
                          :aria-label="`Use the default for ${parameter.label}`"
                          title="Leave it to less specific templates, at last to the default"
                          @click="emit('open', parameter.name)"
                        >use the default</button></template>
          <template #standard="{ row: parameter }"><span class="muted">{{ valueText(parameter, parameter.default) }}</span></template>
          <template #unit="{ row: parameter }"><span class="muted">{{ units[parameter.type] ?? '' }}</span></template>
          <template #about="{ row: parameter }"><span class="muted">{{ `${parameter.explains} ${rangeText(parameter)}` }}</span></template>
        </ShortTable>
        <p class="faint">Key <span class="mono">{{ spec.key }}</span>: watches of the same key in several templates are
          one watch on a device.
          <template v-if="editable"><button class="link" @click="emit('move', -1)">up</button> <button class="link" @click="emit('move', 1)">down</button> <button class="link" @click="emit('remove')">remove this watch</button></template></p>
      </div>
    </div>
    <div class="muted was"><p v-for="line in was" :key="line">{{ line }}</p></div>
  </div>
</template>

<style scoped>
.watch {
  display: grid;
  grid-template-columns: 20px 1fr 130px;
  gap: 10px;
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
}
.was {
  text-align: right;
  font-size: 13px;
}
.faint {
  font-size: 13px;
}
.name {
  color: var(--ink2);
}
.name b {
  color: var(--ink);
}
.name .link {
  font-size: 13px;
  margin-left: 6px;
}
.all {
  margin: 8px 0;
  border-left: 2px solid var(--rule);
  padding-left: 12px;
  display: grid;
  gap: 6px;
}
.set {
  font-weight: 600;
}
.fields {
  display: flex;
  gap: 18px;
  flex-wrap: wrap;
}
.fields label {
  margin-right: 8px;
}
.why {
  display: flex;
  gap: 6px;
}
</style>
