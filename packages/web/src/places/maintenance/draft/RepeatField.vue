<script setup lang="ts">
import { ElDatePicker } from 'element-plus/es/components/date-picker/index'
import 'element-plus/es/components/date-picker/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElInputNumber } from 'element-plus/es/components/input-number/index'
import 'element-plus/es/components/input-number/style/css'
import { ElSelectV2 } from 'element-plus/es/components/select-v2/index'
import 'element-plus/es/components/select-v2/style/css'
import { computed } from 'vue'
import { ordinals, ordinalWords, weekdays, weekdayWords, type MonthDay, type Ordinal } from '#core'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import type { WindowForm } from './form'

/** How often a window comes, as words of its sentence. */
const form = defineModel<WindowForm>({ required: true })
const units = { day: ['day', 'days'], week: ['week', 'weeks'], month: ['month', 'months'] } as const
const isCounted = computed(() => form.value.repeat in units)
const monthDay = computed({
  get: () => {
    const { on } = form.value
    return 'day' in on ? 'day' : `${on.nth}`
  },
  set: (value: string) => {
    form.value.on = value === 'day' ? { day: 1 } : { nth: Number(value) as Ordinal, weekday: weekdayOf(form.value.on) }
  },
})
const weekdayOf = (on: MonthDay) => ('nth' in on ? on.weekday : 'TU')
const weekday = computed({
  get: () => weekdayOf(form.value.on),
  set: (value) => {
    const { on } = form.value
    if ('nth' in on) form.value.on = { ...on, weekday: value }
  },
})
const dayOfMonth = computed({
  get: () => ('day' in form.value.on ? form.value.on.day : 1),
  set: (value: number) => {
    form.value.on = { day: value }
  },
})
const days = weekdays.map((value) => ({ value, label: weekdayWords[value] }))
const ends = computed({
  get: () => (form.value.end === null ? 'never' : 'count' in form.value.end ? 'count' : 'until'),
  set: (value: string) => {
    form.value.end =
      value === 'never'
        ? null
        : value === 'count'
          ? { count: 10 }
          : { until: form.value.at.slice(0, 10).replaceAll('-', '') }
  },
})
const untilDay = computed({
  get: () => {
    const { end } = form.value
    return end && 'until' in end ? end.until.replace(/^(\d{4})(\d\d)(\d\d).*$/, '$1-$2-$3') : null
  },
  set: (value: string | null) => {
    form.value.end = value ? { until: value.replaceAll('-', '') } : null
  },
})
const times = computed({
  get: () => (form.value.end && 'count' in form.value.end ? form.value.end.count : 1),
  set: (value: number) => {
    form.value.end = { count: value }
  },
})
</script>

<template>
  <span class="repeat">
    <ChoiceField v-model="form.repeat" label="Repeats">
      <option value="once">once</option>
      <option value="day">daily</option>
      <option value="week">weekly</option>
      <option value="month">monthly</option>
      <option value="rule">by a rule of RFC 5545</option>
    </ChoiceField>
    <template v-if="isCounted">, every
      <ElInputNumber
        v-model="form.interval"
        :min="1"
        :max="99"
        :controls="false"
        aria-label="Interval"
        style="width: 52px"
      />
      {{ units[form.repeat as 'day'][form.interval === 1 ? 0 : 1] }}
    </template>
    <template v-if="form.repeat === 'week'"> on
      <ElSelectV2
        v-model="form.days"
        multiple
        collapse-tags
        collapse-tags-tooltip
        :max-collapse-tags="3"
        :options="days"
        :item-height="30"
        placeholder="the day that it begins on"
        aria-label="Days of the week"
        style="width: 250px"
      />
    </template>
    <template v-if="form.repeat === 'month'"> on the
      <ChoiceField v-model="monthDay" label="Which day">
        <option value="day">day number</option>
        <option v-for="nth in ordinals" :key="nth" :value="`${nth}`">{{ ordinalWords[nth] }}</option>
      </ChoiceField>
      <ChoiceField v-if="monthDay === 'day'" v-model="dayOfMonth" label="Day of the month">
        <option v-for="number in 31" :key="number" :value="number">{{ number }}</option>
        <option :value="-1">last</option>
      </ChoiceField>
      <ChoiceField v-else v-model="weekday" label="Day of the week">
        <option v-for="day in weekdays" :key="day" :value="day">{{ weekdayWords[day] }}</option>
        <option value="any">weekday (Monday to Friday)</option>
      </ChoiceField>
    </template>
    <ElInput
      v-if="form.repeat === 'rule'"
      v-model="form.rule"
      class="mono"
      aria-label="Rule"
      placeholder="FREQ=MONTHLY;BYDAY=2TU"
      style="width: 300px"
    />
    <template v-if="isCounted">,
      <ChoiceField v-model="ends" label="Until when">
        <option value="never">without an end</option>
        <option value="until">until a day</option>
        <option value="count">so many times</option>
      </ChoiceField>
      <ElDatePicker
        v-if="ends === 'until'"
        v-model="untilDay"
        type="date"
        format="YYYY-MM-DD"
        value-format="YYYY-MM-DD"
        :clearable="false"
        aria-label="Last day"
        style="width: 140px"
      />
      <ElInputNumber
        v-if="ends === 'count'"
        v-model="times"
        :min="1"
        :max="999"
        :controls="false"
        aria-label="Times"
        style="width: 60px"
      />
    </template>
  </span>
</template>
