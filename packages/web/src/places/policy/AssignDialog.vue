<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { computed, ref, watch } from 'vue'
import type { Impact, NewAssignment, Role, TemplatePage, TemplateSummary } from '#contract'
import { countText, deviceKinds, osFamilies, valueText, watchKind, type DeviceKind, type OsFamily, type ParameterValue, type Target } from '#core'
import type { ApiError } from '../../parts/api';
import { api } from '../../parts/api'
import { attempt, done } from '../../parts/notify'
import ParameterEditor from '../../parts/ParameterEditor.vue'
import { useResource } from '../../parts/resource'
import { useSession } from '../../parts/session'
import ImpactView from './ImpactView.vue'

/** Puts a template on a target, with values of its own where wanted, and shows what that does before it is saved. */
const props = defineProps<{ templates: TemplateSummary[]; templateId: number; role?: string }>()
const emit = defineEmits<{ close: [] }>()
const session = useSession()
const roles = useResource(() => api.get<Role[]>('/roles'))
const templateId = ref(props.templateId)
const template = useResource(() => api.get<TemplatePage>(`/templates/${templateId.value}`), { sources: [templateId] })
const on = ref<'role' | 'kind' | 'os' | 'client' | 'everyone'>('role')
const role = ref(props.role ?? 'web')
const kind = ref<DeviceKind>('server')
const osFamily = ref<OsFamily>('linux')
const clientId = ref(session.clientId ?? session.clients[0]?.id ?? 0)
const reason = ref('')
const values = ref<Record<string, Record<string, ParameterValue>>>({})
watch(templateId, () => { values.value = {} })
const target = computed((): Target => {
  switch (on.value) {
    case 'role': return { on: 'role', role: role.value }
    case 'kind': return { on: 'kind', kind: kind.value }
    case 'os': return { on: 'os', osFamily: osFamily.value }
    case 'client': return { on: 'client', clientId: clientId.value }
    default: return { on: 'everyone' }
  }
})
const body = computed((): NewAssignment => ({ templateId: templateId.value, target: target.value, rank: 100, values: values.value, dormant: false, reason: reason.value }))
const impact = ref<Impact | null>(null)
const fault = ref('')
watch([target, templateId, values], async () => {
  try {
    impact.value = await api.post<Impact>('/assignments/impact', body.value)
    fault.value = ''
  } catch (error) {
    impact.value = null
    fault.value = (error as ApiError).message
  }
}, { immediate: true, deep: true })

const watchKey = ref('')
const parameterName = ref('')
const spec = computed(() => template.data.value?.watches.find((one) => one.key === watchKey.value))
const parameter = computed(() => spec.value && watchKind(spec.value.kind).parameters.find((one) => one.name === parameterName.value))
function setValue(value: ParameterValue): void {
  values.value = { ...values.value, [watchKey.value]: { ...values.value[watchKey.value], [parameterName.value]: value } }
  parameterName.value = ''
}
const own = computed(() => Object.entries(values.value).flatMap(([key, set]) => Object.entries(set).map(([name, value]) => {
  const one = template.data.value?.watches.find((watch) => watch.key === key)
  const found = one && watchKind(one.kind).parameters.find((each) => each.name === name)
  return { id: `${key}.${name}`, text: `${one?.name}: ${found?.label} ${found ? valueText(found, value) : ''}` }
})))
async function save(): Promise<void> {
  if (await attempt(() => api.post('/assignments', body.value))) {
    done('Assigned. The devices have it.')
    emit('close')
  }
}
</script>

<template>
  <ElDialog :model-value="true" title="Assign a template" width="720" append-to-body @close="emit('close')">
    <div class="two">
      <form @submit.prevent="save">
        <p class="sentence">Give <select v-model.number="templateId" aria-label="Template"><option v-for="one in templates" :key="one.id" :value="one.id">{{ one.name }}</option></select> to every
          <select v-model="on" aria-label="Target"><option value="role">device with the role</option><option value="kind">device of the kind</option><option value="os">device running</option><option value="client">device at</option><option value="everyone">device</option></select>
          <select v-if="on === 'role'" v-model="role" aria-label="Role"><option v-for="one in roles.data.value" :key="one.id" :value="one.id">{{ one.name }}</option></select>
          <select v-else-if="on === 'kind'" v-model="kind" aria-label="Kind"><option v-for="one in deviceKinds" :key="one">{{ one }}</option></select>
          <select v-else-if="on === 'os'" v-model="osFamily" aria-label="System"><option v-for="one in osFamilies" :key="one" :value="one">{{ one === 'linux' ? 'Linux' : 'Windows' }}</option></select>
          <select v-else-if="on === 'client'" v-model.number="clientId" aria-label="Client"><option v-for="one in session.clients" :key="one.id" :value="one.id">{{ one.name }}</option></select>.</p>
        <p v-for="one in own" :key="one.id">Here <b>{{ one.text }}</b>.</p>
        <p class="sentence">With its own <select v-model="watchKey" aria-label="Watch"><option value="">value…</option><option v-for="one in template.data.value?.watches" :key="one.key" :value="one.key">{{ one.name }}</option></select>
          <select v-if="spec" v-model="parameterName" aria-label="Parameter"><option value="">which?</option><option v-for="one in watchKind(spec.kind).parameters" :key="one.name" :value="one.name">{{ one.label }}</option></select></p>
        <ParameterEditor v-if="parameter && spec" :parameter="parameter" :value="values[watchKey]?.[parameterName] ?? spec.values[parameterName] ?? parameter.default" @change="setValue" @cancel="parameterName = ''" />
        <input v-model="reason" placeholder="Why (for whoever reads this in a year)" aria-label="Reason" maxlength="500" />
        <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
        <div class="row"><button class="btn main" :disabled="!impact">Assign to {{ impact ? countText(impact.devices, 'device') : '… devices' }}</button><button type="button" class="btn" @click="emit('close')">Leave</button></div>
      </form>
      <ImpactView :impact="impact" title="If you assign this" />
    </div>
  </ElDialog>
</template>

<style scoped>
.two { display: grid; grid-template-columns: 1fr 250px; gap: 24px; } form { display: grid; gap: 12px; align-content: start; } .sentence { line-height: 32px; }
select { font: 600 15px var(--serif); color: var(--ink); background: var(--field); border: 0; border-bottom: 1.5px dotted var(--ink2); max-width: 230px; }
input { font: inherit; color: var(--ink); background: var(--field); border: 1px solid var(--rule); border-radius: 3px; padding: 4px 8px; } .row { display: flex; gap: 8px; }
</style>
