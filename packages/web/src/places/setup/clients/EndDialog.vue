<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { ElRadio, ElRadioGroup } from 'element-plus/es/components/radio/index'
import 'element-plus/es/components/radio/style/css'
import 'element-plus/es/components/radio-group/style/css'
import { computed, ref } from 'vue'
import type { Client, MergePreview } from '#contract'
import { countText } from '#core'
import { useAnswer } from '../../../parts/data/answer'
import { api } from '../../../parts/data/api'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { attempt, done } from '../../../parts/ui/notify'

/** How work for a client ends: out of use, a part of another, or its data handed over as a file. */
const props = defineProps<{ client: Client }>()
const emit = defineEmits<{ close: []; changed: [] }>()
const session = useSession()
const what = ref<'retire' | 'merge' | 'data'>('retire')
const into = ref(0)
const others = computed(() => session.clients.filter(({ id }) => id !== props.client.id).map(({ id, name }) => ({ value: id, text: name })))
const { answer: preview, error } = useAnswer(
  () => into.value,
  (id) => (id ? api.get<MergePreview>(`/clients/${props.client.id}/merge?into=${id}`) : null),
  { rest: 0 },
)
const intoName = computed(() => others.value.find(({ value }) => value === into.value)?.text ?? '')
const busy = ref(false)
async function act(path: string, body: object, said: string): Promise<void> {
  busy.value = true
  const answer = await attempt(() => api.post(`/clients/${props.client.id}/${path}`, body))
  busy.value = false
  if (!answer) return
  done(said)
  emit('changed')
}
const merge = () => act('merge', { into: into.value }, `${props.client.name} is a part of ${intoName.value} now.`)
</script>

<template>
  <ElDialog :model-value="true" :title="`${client.name}: when work for it ends`" width="640" append-to-body @close="emit('close')">
    <ElRadioGroup v-model="what" class="choice" aria-label="How it ends">
      <ElRadio value="retire">take it out of use</ElRadio>
      <ElRadio value="merge">it is a part of another client</ElRadio>
      <ElRadio value="data">hand its data over</ElRadio>
    </ElRadioGroup>
    <form v-if="what === 'retire'" @submit.prevent="act('retire', {}, `${client.name} is out of use. It stands below the list, and can be brought back or deleted.`)">
      <p>{{ client.deviceCount ? `Its ${countText(client.deviceCount, 'device')} ${client.deviceCount === 1 ? 'goes' : 'go'} out of use with it: keys are revoked, open alerts are closed` : 'It has no device in use' }}. Nobody
        enrols there any more, and nothing sweeps there. What is known of it stays. Whoever signs in for it still can: end that in People.</p>
      <div class="row">
        <button class="btn main" :disabled="busy">Take it out of use</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </form>
    <form v-else-if="what === 'merge'" @submit.prevent="merge">
      <p>It becomes a part of <ChoiceField v-model="into" label="Another client" :choices="[{ value: 0, text: 'which client?' }, ...others]" /></p>
      <p v-if="error" class="critical">{{ error.message }}</p>
      <template v-if="preview">
        <p>{{ countText(preview.sites, 'site') }} and {{ countText(preview.devices, 'device') }} go there, with all that is known of them.
          {{ preview.rules ? `${countText(preview.rules, 'assignment, exception, window or call-out rule', 'assignments, exceptions, windows and call-out rules')} that ${preview.rules === 1 ? 'speaks' : 'speak'} of ${client.name} will speak of its sites.` : '' }}
          What is said of {{ intoName }} reaches them from then on, too.</p>
        <p v-if="preview.people.length" class="warning">Whoever sees one of both sees both then: {{ preview.people.slice(0, 10).join(', ') }}{{ preview.people.length > 10 ? ` and ${preview.people.length - 10} more` : '' }}.</p>
        <p v-if="preview.clashes.length" class="critical">Both have a device called <span class="mono">{{ preview.clashes.slice(0, 10).join(', ') }}</span>{{ preview.clashes.length > 10 ? ` and ${preview.clashes.length - 10} more` : '' }}: rename them at one of both first.</p>
      </template>
      <p class="warning">It cannot be taken apart again.</p>
      <div class="row">
        <button class="btn main" :disabled="busy || !preview || preview.clashes.length > 0">Merge</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </form>
    <div v-else>
      <p>All that is kept of it in one file: its sites, devices, alerts, windows, mail, log entries and readings, as JSON Lines packed by gzip. Secrets are not in it. It may
        be large, and takes as long as it takes to read.</p>
      <div class="row"><a class="btn main" :href="`/api/clients/${client.id}/data`" download>Download it</a>
        <button type="button" class="btn" @click="emit('close')">Close</button></div>
    </div>
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
form,
.choice + div {
  display: grid;
  gap: 10px;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
