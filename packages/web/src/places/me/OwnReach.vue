<script setup lang="ts">
import { ElDatePicker } from 'element-plus/es/components/date-picker/index'
import 'element-plus/es/components/date-picker/style/css'
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElTimeSelect } from 'element-plus/es/components/time-select/index'
import 'element-plus/es/components/time-select/style/css'
import { ref, watch } from 'vue'
import type { Reach } from '#contract'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import { here } from '../../parts/format/time'
import { useChecked } from '../../parts/ui/checked'
import { done } from '../../parts/ui/notify'
import StateNotice from '../../parts/ui/StateNotice.vue'

/** Where and when one is told of alerts, and until when one is away. */
const session = useSession()
const { data, error, refresh } = useResource(() => api.get<Reach>('/session/reach'))
const mailTo = ref('')
const hours = ref('')
const zone = ref(here)
const awayUntil = ref<number | null>(null)
/** HH:MM; empty: none. */
const digestAt = ref<string | null>(null)
const two = (n: number) => String(n).padStart(2, '0')
watch(data, (reach) => {
  if (!reach) return
  mailTo.value = reach.mailTo ?? ''
  hours.value = reach.hours
  zone.value = reach.zone ?? here
  awayUntil.value = reach.awayUntil
  digestAt.value = reach.digestAt === null ? null : `${two(Math.floor(reach.digestAt / 60))}:${two(reach.digestAt % 60)}`
})
const body = (): Reach => ({
  mailTo: mailTo.value.trim() || null,
  hours: hours.value.trim(),
  zone: hours.value.trim() || digestAt.value ? zone.value.trim() : null,
  awayUntil: awayUntil.value === null ? null : Number(awayUntil.value),
  digestAt: digestAt.value ? Number(digestAt.value.slice(0, 2)) * 60 + Number(digestAt.value.slice(3)) : null,
})
const { faults, send } = useChecked(async () => (await import('#contract')).reachBodySchema, body)
const busy = ref(false)
async function save(): Promise<void> {
  busy.value = true
  const saved = await send(() => api.put('/session/reach', body()))
  busy.value = false
  if (!saved) return
  done(awayUntil.value ? 'Until then your teams are told without you.' : 'Saved.')
  await refresh()
}
</script>

<template>
  <StateNotice :error="error" :loading="!data" @again="refresh" />
  <ElForm v-if="data" label-width="120px" label-position="left" class="form" @submit.prevent="save">
    <ElFormItem label="Mail goes to" :error="faults.mailTo"><ElInput v-model="mailTo" aria-label="Mail goes to" maxlength="200" spellcheck="false" :placeholder="session.person?.email" /></ElFormItem>
    <ElFormItem label="At these hours" :error="faults.hours"><ElInput v-model="hours" aria-label="At these hours" maxlength="100" placeholder="always; or Mon–Fri 08:00–18:00" /></ElFormItem>
    <ElFormItem label="Summary at" :error="faults.digestAt"><ElTimeSelect v-model="digestAt" start="05:00" step="00:30" end="12:00" aria-label="Summary at" placeholder="none; or each day at" /></ElFormItem>
    <ElFormItem v-if="hours.trim() || digestAt" label="On the clocks of" :error="faults.zone"><ElInput v-model="zone" aria-label="On the clocks of" maxlength="60" spellcheck="false" /></ElFormItem>
    <ElFormItem label="Away until" :error="faults.awayUntil"><ElDatePicker v-model="awayUntil" type="datetime" value-format="x" format="D MMM YYYY HH:mm" aria-label="Away until" placeholder="not away" /></ElFormItem>
    <p class="faint">Outside of your hours and while you are away the others of a team are told. Where there is nobody else, or it is your turn to be on call, you are told all the same.</p>
    <button class="btn main" :disabled="busy">Save</button>
  </ElForm>
</template>

<style scoped>
.form {
  max-width: 560px;
}
.form p {
  margin: 0 0 10px;
}
</style>
