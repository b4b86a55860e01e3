<script setup lang="ts">
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElDatePicker } from 'element-plus/es/components/date-picker/index'
import 'element-plus/es/components/date-picker/style/css'
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { computed, ref } from 'vue'
import type { Client, NewWindow } from '#contract'
import { hour, subjects, type Subject, type Target } from '#core'
import { api } from '../../parts/data/api'
import { useChecked } from '../../parts/ui/checked'
import { done } from '../../parts/ui/notify'
import { useSession } from '../../parts/data/session'
import { familyWords } from './subjectWords'
import ChoiceField from '../../parts/ui/ChoiceField.vue'

/** A window as a sentence: what is held back where, from when, for how long. */
const props = defineProps<{ deviceId?: number; deviceName?: string; clientId?: number }>()
const emit = defineEmits<{ close: [] }>()
const session = useSession()
const clientId = ref(props.clientId ?? session.clientId ?? session.clients[0]?.id ?? 0)
const client = computed((): Client | undefined => session.clients.find((client) => client.id === clientId.value))
const where = ref<string>(props.deviceId ? 'device' : 'client')
const what = ref<Subject | 'all'>('all')
const begins = ref<'now' | 'at'>('now')
const from = ref(new Date(Math.ceil(Date.now() / hour) * hour))
const lengthHours = ref<string>('1')
const name = ref('')
const reason = ref('')

const target = computed((): Target => {
  if (where.value === 'device') return { on: 'devices', deviceIds: [props.deviceId!] }
  if (where.value.startsWith('site')) return { on: 'site', siteId: Number(where.value.slice(4)) }
  return where.value === 'everyone' ? { on: 'everyone' } : { on: 'client', clientId: clientId.value }
})
const busy = ref(false)
const start = () => (begins.value === 'now' ? null : from.value.getTime())
function body(): NewWindow {
  return {
    name: name.value.trim() || `Maintenance of ${where.value === 'device' ? props.deviceName : client.value?.name}`,
    reason: reason.value,
    target: target.value,
    subject: what.value === 'all' ? { of: 'all' } : { of: 'families', families: [what.value] },
    from: start(),
    until: lengthHours.value === 'open' ? null : (start() ?? Date.now()) + Number(lengthHours.value) * hour,
  }
}
const { faults, rule, send } = useChecked(async () => (await import('#contract')).newWindowSchema, body)
async function save(): Promise<void> {
  busy.value = true
  if (await send(() => api.post('/windows', body()))) {
    done(start() === null ? 'Alerts are held back from now on.' : 'The window is planned.')
    emit('close')
  }
  busy.value = false
}
</script>

<template>
  <ElDialog :model-value="true" title="Hold alerts back" width="560" append-to-body @close="emit('close')">
    <ElForm label-width="60px" label-position="left" @submit.prevent="save">
      <p class="sentence">Hold
        <ChoiceField v-model="what" label="What">
          <option value="all">everything</option>
          <option v-for="subject in subjects" :key="subject" :value="subject">{{ familyWords[subject] }}</option>
        </ChoiceField> of
        <ChoiceField v-model="where" label="Where">
          <option v-if="deviceId" value="device">{{ deviceName }}</option>
          <option value="client">all of {{ deviceId ? client?.name : 'the client' }}</option>
          <option v-for="site in client?.sites" :key="site.id" :value="`site${site.id}`">{{ site.name }}</option>
          <option v-if="session.isLead && !deviceId" value="everyone">every client</option>
        </ChoiceField>
        <template v-if="!deviceId && where !== 'everyone'"> at
          <ChoiceField v-model="clientId" label="Client" @change="where = 'client'">
            <option v-for="client in session.clients" :key="client.id" :value="client.id">{{ client.name }}</option>
          </ChoiceField></template> from
        <ChoiceField v-model="begins" label="From">
          <option value="now">now</option>
          <option value="at">a start</option>
        </ChoiceField>
        <template v-if="begins === 'at'">
          <ElDatePicker
            v-model="from"
            type="datetime"
            format="YYYY-MM-DD HH:mm"
            :clearable="false"
            style="width: 190px"
          />
        </template> for
        <ChoiceField v-model="lengthHours" label="For">
          <option value="0.5">30 min</option>
          <option value="1">1 h</option>
          <option value="2">2 h</option>
          <option value="4">4 h</option>
          <option value="8">8 h</option>
          <option value="24">24 h</option>
          <option value="open">until somebody ends it</option>
        </ChoiceField>.</p>
      <p v-if="lengthHours === 'open'" class="warning">A window without an end is the one that is forgotten. Choose an
        end if you can.</p>
      <ElFormItem label="Name" prop="name" :rules="rule('name')" :error="faults.name"><ElInput
        v-model="name"
        :placeholder="`Maintenance of ${where === 'device' ? deviceName : client?.name}`"
        maxlength="100" /></ElFormItem>
      <ElFormItem label="Why" prop="reason" :rules="rule('reason')" :error="faults.reason"><ElInput v-model="reason" placeholder="What is being done" maxlength="500" /></ElFormItem>
      <p v-for="field in ['target', 'subject', 'from', 'until']" v-show="faults[field]" :key="field" class="critical" role="alert">{{ faults[field] }}</p>
      <p class="muted">Alerts that are open already stay open. What still fails at the end is raised then, with its true
        beginning.</p>
      <div class="row">
        <button class="btn main" :disabled="busy">Hold alerts back</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </ElForm>
  </ElDialog>
</template>

<style scoped>
form {
  display: grid;
  gap: 12px;
}
.sentence {
  line-height: 34px;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
