<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { toRef } from 'vue'
import { countText, type PolicyStep } from '#core'
import { done } from '../../../parts/ui/notify'
import { usePolicyChange } from './change'
import ImpactView from './ImpactView.vue'

/** Asks before a change that has nothing to be filled in: what it would do, and whether. */
const props = defineProps<{ title: string; steps: PolicyStep[]; verb: string; said: string }>()
const emit = defineEmits<{ close: [done: boolean] }>()
const change = usePolicyChange(toRef(props, 'steps'))
const { impact, counting, fault, busy } = change
async function save(): Promise<void> {
  const saved = await change.save()
  if ('code' in saved) return
  done(props.said)
  emit('close', true)
}
</script>

<template>
  <ElDialog :model-value="true" :title="title" width="560" append-to-body @close="emit('close', false)">
    <ImpactView :impact="impact" :counting="counting" title="If you do this" :busy="!fault" />
    <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
    <p class="row"><button class="btn main" :disabled="!impact || busy" @click="save">{{ verb }}, for {{ impact ? countText(impact.devices, 'device') : '…' }}</button> <button class="btn" @click="emit('close', false)">Cancel</button></p>
  </ElDialog>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
  margin-top: 14px;
}
</style>
