<script setup lang="ts">
import { isGroup, maxTargetDepth, type Group, type Target, type TargetFault } from '#core'
import { freshCondition, replaced } from './conditions'
import TargetCondition from './TargetCondition.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** A group of conditions; groups in it are the same part again. */
const props = defineProps<{ group: Group; faults: readonly TargetFault[]; at: readonly number[] }>()
const emit = defineEmits<{ change: [group: Group]; remove: [] }>()
const faultAt = (at: readonly number[]) =>
  props.faults.filter((fault) => fault.at.join('.') === at.join('.')).map((fault) => fault.message)
const put = (i: number, part: Target | null) => {
  emit('change', replaced(props.group, i, part))
}
const add = (part: Target) => {
  emit('change', { ...props.group, of: [...props.group.of, part] })
}
const words = { all: 'all of', any: 'any of', except: 'none of' } as const
</script>

<template>
  <fieldset class="group" :class="group.on">
    <legend>
      <template v-if="at.length">{{ group.on === 'except' ? 'and' : 'matches' }} </template>
      <ChoiceField
        :model-value="group.on"
        :label="`How the conditions of group ${at.join('.') || 'one'} go together`"
        @update:model-value="emit('change', { ...group, on: $event as Group['on'] })"
      >
        <option v-for="(text, on) in words" :key="on" :value="on">{{ text }}</option>
      </ChoiceField>
      <button v-if="at.length" type="button" class="link away" aria-label="Remove this group" @click="emit('remove')">remove</button>
    </legend>
    <p v-for="text in faultAt(at)" :key="text" class="critical" role="alert">{{ text }}</p>
    <template v-for="(part, i) in group.of" :key="i">
      <TargetGroup
        v-if="isGroup(part)"
        :group="part"
        :faults="faults"
        :at="[...at, i]"
        @change="(changed) => put(i, changed)"
        @remove="put(i, null)"
      />
      <TargetCondition
        v-else
        :condition="part"
        :faults="faultAt([...at, i])"
        :number="i + 1"
        @change="(changed) => put(i, changed)"
        @remove="put(i, null)"
      />
    </template>
    <p class="add">
      <button type="button" class="link" @click="add(freshCondition('role'))">add a condition</button>
      <template v-if="at.length + 1 < maxTargetDepth">
        <button
          type="button"
          class="link"
          @click="add({ on: group.on === 'any' ? 'all' : 'any', of: [freshCondition('tag')] })"
        >add {{ group.on === 'any' ? '“all of”' : '“any of”' }}</button>
        <button
          v-if="group.on !== 'except'"
          type="button"
          class="link"
          @click="add({ on: 'except', of: [freshCondition('tag')] })"
        >leave some out</button>
      </template>
    </p>
  </fieldset>
</template>

<style scoped>
.group {
  border: 0;
  border-left: 2px solid var(--rule);
  margin: 2px 0 4px;
  padding: 0 0 0 12px;
  min-width: 0;
}
.except {
  border-left-style: dotted;
}
legend {
  padding: 0;
  color: var(--ink2);
  float: left;
  width: 100%;
}
legend + * {
  clear: left;
}
.away {
  margin-left: 10px;
  font-size: 13px;
}
select {
  font: 600 15px var(--serif);
  color: var(--ink);
  background: var(--field);
  border: 0;
  border-bottom: 1.5px dotted var(--ink2);
}
.add {
  display: flex;
  gap: 14px;
  font-size: 13px;
  padding: 3px 0;
}
</style>
