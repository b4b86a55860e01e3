<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { computed, toRef, useSlots } from 'vue'
import { countText, type PolicyStep } from '#core'
import { done } from '../../../parts/ui/notify'
import { usePolicyChange } from './change'
import ImpactView from './ImpactView.vue'

/** A change of policy in a dialog: what is filled in, if anything; what it would do; and whether. */
const props = defineProps<{
  title: string
  /** Null while it is not complete. */
  steps: PolicyStep[] | null
  /** What the button does, before the count of devices. */
  verb: string
  /** Of the button; by itself those that the change reaches. */
  devices?: number | null
  /** What is said when it is done. */
  said: string
  impactTitle?: string
}>()
const emit = defineEmits<{ close: [done: boolean] }>()
const slots = useSlots()
const isForm = computed(() => slots.form !== undefined)
const { impact, counting, fault, busy, save } = usePolicyChange(toRef(props, 'steps'))
const count = computed(() => {
  const devices = props.devices === undefined ? impact.value?.devices : props.devices
  return devices === undefined || devices === null ? '… devices' : countText(devices, 'device')
})
async function submit(): Promise<void> {
  if (!impact.value) return
  const saved = await save()
  if ('code' in saved) return
  done(props.said)
  emit('close', true)
}
</script>

<template>
  <ElDialog
    :model-value="true"
    :title="title"
    :width="isForm ? 920 : 560"
    :top="isForm ? '5vh' : undefined"
    append-to-body
    @close="emit('close', false)"
  >
    <form :class="{ two: isForm }" @submit.prevent="submit">
      <div v-if="isForm" class="fields"><slot name="form" /></div>
      <div class="effect">
        <slot />
        <ImpactView
          :impact="impact"
          :counting="counting"
          :title="impactTitle ?? 'If you do this'"
          :busy="steps !== null && !fault"
        />
      </div>
      <div class="end">
        <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
        <p class="row">
          <button class="btn main" :disabled="!impact || busy">{{ verb }} {{ count }}</button>
          <button type="button" class="btn" @click="emit('close', false)">Cancel</button>
        </p>
      </div>
    </form>
  </ElDialog>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 1fr 270px;
  gap: 12px 24px;
  max-height: 78vh;
  overflow: auto;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
.fields {
  display: grid;
  gap: 12px;
  align-content: start;
  min-width: 0;
}
.end {
  grid-column: 1;
}
.row {
  display: flex;
  gap: 8px;
  margin-top: 12px;
}
:slotted(.sentence) {
  line-height: 30px;
}
:slotted(.settings) {
  display: flex;
  gap: 16px;
  flex-wrap: wrap;
  align-items: center;
  color: var(--ink2);
}
.fields :slotted(> input),
:slotted(.settings select),
:slotted(.settings input[type='number']) {
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 3px 8px;
}
</style>
