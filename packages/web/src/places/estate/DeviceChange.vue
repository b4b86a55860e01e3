<script setup lang="ts">
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElRadio, ElRadioGroup } from 'element-plus/es/components/radio/index'
import 'element-plus/es/components/radio/style/css'
import 'element-plus/es/components/radio-group/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { BoardPage, DeviceMove, DevicePage, RetiredList } from '#contract'
import { api } from '../../parts/data/api'
import { useChecked } from '../../parts/ui/checked'
import { attempt, done } from '../../parts/ui/notify'
import { useSession } from '../../parts/data/session'
import SuggestField from '../../parts/ui/SuggestField.vue'
import ChoiceField from '../../parts/ui/ChoiceField.vue'

/** Where a device stands, what it is called, and how its life goes on. */
const props = defineProps<{ device: DevicePage }>()
const emit = defineEmits<{ close: [] }>()
const session = useSession()
const router = useRouter()
const name = ref(props.device.name)
const siteId = ref(props.device.siteId)
const address = ref(props.device.addresses[0] ?? '')
const tags = ref(props.device.tags.join(', '))
const what = ref<'change' | 'reinstall' | 'merge' | 'retire'>('change')
const dependsBy = ref<'routes' | 'device' | 'nothing'>(
  props.device.dependsOn.by === 'routes' ? 'routes' : props.device.dependsOn.device ? 'device' : 'nothing',
)
const upstream = ref(props.device.dependsOn.by === 'person' ? props.device.dependsOn.device : null)
/** Said once somebody saves: it depends on a device, but none is chosen. */
const isMissing = ref(false)
const seen = props.device.dependsOn.by === 'routes' ? props.device.dependsOn.device?.name : undefined
const busy = ref(false)
interface Before {
  id: number
  text: string
}
/** Other devices of the client that are in use. */
async function findOthers(words: string): Promise<Before[]> {
  const query = new URLSearchParams({ client: String(props.device.clientId), words, order: 'name', limit: '12' })
  return (await api.get<BoardPage>(`/devices?${query}`)).devices
    .filter((device) => device.id !== props.device.id)
    .map((device) => ({ id: device.id, text: device.name }))
}
/** Devices that it may have been before: those of the client, in use or not. */
async function findBefore(words: string): Promise<Before[]> {
  const query = new URLSearchParams({ client: String(props.device.clientId), words, limit: '20' })
  const gone = await api.get<RetiredList>(`/retired-devices?${query}`)
  return [
    ...gone.devices.filter((device) => !device.mergedInto).slice(0, 8).map((device) => ({ id: device.id, text: `${device.name}, out of use` })),
    ...(await findOthers(words)),
  ]
}
const from = ref<Before | null>(null)
const movesAway = computed(
  () => !session.clients.find((client) => client.id === props.device.clientId)?.sites.some((site) => site.id === siteId.value),
)
async function act(path: string, body: object, words: string): Promise<void> {
  busy.value = true
  const answer = await attempt(() => api.post(`/devices/${props.device.id}/${path}`, body))
  busy.value = false
  if (!answer) return
  done(words)
  emit('close')
  if (path === 'retire') await router.push('/estate')
}
function changes(): DeviceMove {
  const body: DeviceMove = {}
  const list = tags.value
    .split(',')
    .map((part) => part.trim())
    .filter(Boolean)
  if (name.value.trim() !== props.device.name) body.name = name.value.trim()
  if (siteId.value !== props.device.siteId) body.siteId = siteId.value
  if (props.device.osFamily === null && address.value.trim() !== props.device.addresses[0]) body.address = address.value.trim()
  if (list.join() !== props.device.tags.join()) body.tags = list
  const dependsOn = dependsBy.value === 'device' ? upstream.value?.id : dependsBy.value
  const was = props.device.dependsOn
  const isSame = dependsOn === (was.by === 'routes' ? 'routes' : (was.device?.id ?? 'nothing'))
  if (dependsOn !== undefined && !isSame) body.dependsOn = dependsOn
  return body
}
const { faults, rule, send } = useChecked(async () => (await import('#contract')).deviceMoveSchema.min(0), changes)
async function save(): Promise<void> {
  isMissing.value = dependsBy.value === 'device' && upstream.value === null
  if (isMissing.value) return
  if (!Object.keys(changes()).length) {
    emit('close')
    return
  }
  busy.value = true
  if (await send(() => api.put(`/devices/${props.device.id}`, changes()))) {
    done('Changed. Its roster is the one of its new place.')
    emit('close')
  }
  busy.value = false
}
</script>

<template>
  <ElDialog :model-value="true" :title="`Change ${device.name}`" width="600" append-to-body @close="emit('close')">
    <ElRadioGroup v-model="what" class="choice" aria-label="What to change">
      <ElRadio value="change">name, site, tags, what it depends on</ElRadio>
      <ElRadio value="reinstall">it is being reinstalled</ElRadio>
      <ElRadio value="merge">it was another device before</ElRadio>
      <ElRadio value="retire">take it out of use</ElRadio>
    </ElRadioGroup>
    <ElForm v-if="what === 'change'" label-width="92px" label-position="left" @submit.prevent="save">
      <ElFormItem label="Name" prop="name" :rules="rule('name')" :error="faults.name"><ElInput v-model="name" class="mono" maxlength="63" spellcheck="false" /></ElFormItem>
      <ElFormItem label="Site" :error="faults.siteId"><ChoiceField v-model="siteId" label="Site">
          <optgroup v-for="client in session.clients" :key="client.id" :label="client.name">
            <option v-for="site in client.sites" :key="site.id" :value="site.id">{{ client.name }} · {{ site.name }}</option>
          </optgroup>
        </ChoiceField></ElFormItem>
      <ElFormItem v-if="device.osFamily === null" label="Address" :error="faults.address"><ElInput v-model="address" aria-label="Address" class="mono" maxlength="253" spellcheck="false" /></ElFormItem>
      <ElFormItem label="Tags" prop="tags" :rules="rule('tags')" :error="faults.tags"><ElInput v-model="tags" placeholder="none; several with commas" /></ElFormItem>
      <ElFormItem label="Depends on" :error="isMissing && !upstream ? 'Choose the device, by part of its name.' : faults.dependsOn">
        <div class="depends">
          <ChoiceField v-model="dependsBy" label="Depends on">
            <option value="routes">what its default route says{{ seen ? `: ${seen}` : '' }}</option>
            <option value="device">a device</option>
            <option value="nothing">nothing</option>
          </ChoiceField>
          <template v-if="dependsBy === 'device'">
            <p v-if="upstream"><b class="mono">{{ upstream.name }}</b> <button type="button" class="link" @click="upstream = null">another</button></p>
            <SuggestField
              v-else
              label="Device that it depends on"
              placeholder="part of its name"
              :ask="findOthers"
              :none="(words) => `No other device of ${device.clientName} has “${words}” in its name.`"
              @choose="upstream = { id: $event.id, name: $event.text }"
            >
              <template #default="{ item }"><span class="mono">{{ item.text }}</span></template>
            </SuggestField>
          </template>
          <p class="faint">When both are silent, one alert is raised, about what it depends on.</p>
        </div>
      </ElFormItem>
      <p v-if="movesAway" class="warning">It goes to another client. Open alerts go along; what is over stays with
        {{ device.clientName }}.</p>
      <div class="row">
        <button class="btn main" :disabled="busy">Change it</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </ElForm>
    <form
      v-else-if="what === 'reinstall'"
      @submit.prevent="act('expect-reinstall', {}, 'For an hour, an agent that enrols under this name takes this device over.')"
    >
      <p>For an hour, an agent that enrols as <span class="mono">{{ device.name }}</span> with a key of
        {{ device.clientName }} becomes this device: same history, same roles and exceptions, a new key. The old key is
        refused from then on.</p>
      <div class="row">
        <button class="btn main" :disabled="busy">Expect it</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </form>
    <form v-else-if="what === 'merge'" @submit.prevent="act('merge', { from: from?.id }, 'Merged: its history is here now.')">
      <p>It enrolled under a new name. Take over readings, log, alerts, roles and tags from</p>
      <p v-if="from"><b class="mono">{{ from.text }}</b> <button type="button" class="link" @click="from = null">another</button></p>
      <SuggestField
        v-else
        label="Device before"
        placeholder="part of its name"
        :ask="findBefore"
        :none="(words) => `No other device of ${device.clientName} has “${words}” in its name.`"
        @choose="from = $event"
      >
        <template #default="{ item }"><span class="mono">{{ item.text }}</span></template>
      </SuggestField>
      <p class="warning">That device is out of use for good then. It cannot be taken apart again; exceptions made for it
        alone do not come along.</p>
      <div class="row">
        <button class="btn main" :disabled="busy || from === null">Merge</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </form>
    <form
      v-else
      @submit.prevent="act('retire', {}, 'Out of use. Rollout has it under “Out of use”, should it come back.')"
    >
      <p>Its key is revoked and its open alerts are closed. Its history is kept, and it can be brought back.</p>
      <div class="row">
        <button class="btn main" :disabled="busy">Take it out of use</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </form>
  </ElDialog>
</template>

<style scoped>
.choice {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  padding-bottom: 12px;
  border-bottom: 1px solid var(--rule);
  margin-bottom: 12px;
}
form {
  display: grid;
  gap: 10px;
}
.depends {
  display: grid;
  gap: 4px;
  line-height: 1.5;
}
.depends p {
  margin: 0;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
