<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { ref } from 'vue'
import type { Client, NewSite, SiteChange } from '#contract'
import { api } from '../../../parts/data/api'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import { useChecked } from '../../../parts/ui/checked'
import { done } from '../../../parts/ui/notify'
import { here } from '../../../parts/format/time'
import { useNotes } from './useNotes'

/** A site of a client: its name, zone, networks, and what whoever goes there should know. */
const props = defineProps<{ client: Client; site: Client['sites'][number] | null }>()
const emit = defineEmits<{ close: []; changed: [] }>()
const name = ref(props.site?.name ?? '')
const zone = ref(props.site?.zone ?? props.client.sites[0]?.zone ?? here)
const networks = ref(props.site?.networks.join(', ') ?? '')
const named = ref(props.site?.named.join(', ') ?? '')
const { notes, isRead, isChanged } = useNotes(
  props.site && props.client.id,
  (detail) => detail.sites.find(({ id }) => id === props.site?.id)?.notes ?? '',
)
const busy = ref(false)
/** Of the IANA database; a name of before stays one. */
const zones = [...new Set([zone.value, ...Intl.supportedValuesOf('timeZone')])].map((value) => ({ value, text: value }))
const parts = (text: string) => text.split(/[\s,]+/).filter(Boolean)
const typed = () => parts(networks.value)
const made = (): NewSite => ({ clientId: props.client.id, name: name.value.trim(), zone: zone.value, networks: typed() })
const changes = (): SiteChange => ({
  ...(name.value.trim() === props.site?.name ? {} : { name: name.value.trim() }),
  ...(zone.value === props.site?.zone ? {} : { zone: zone.value }),
  ...(typed().join() === props.site?.networks.join() ? {} : { networks: typed() }),
  ...(parts(named.value).join() === props.site?.named.join() ? {} : { named: parts(named.value) }),
  ...(isChanged() ? { notes: notes.value } : {}),
})
const adding = useChecked(async () => (await import('#contract')).newSiteSchema, made)
const changing = useChecked(async () => (await import('#contract')).siteChangeSchema.min(0), changes)
const { faults } = props.site ? changing : adding
async function send(id: number): Promise<boolean> {
  return !Object.keys(changes()).length || (await changing.send(() => api.put(`/sites/${id}`, changes()))) !== null
}
async function save(): Promise<void> {
  busy.value = true
  const isDone = props.site ? await send(props.site.id) : (await adding.send(() => api.post('/sites', made()))) !== null
  busy.value = false
  if (!isDone) return
  done(props.site ? 'Changed.' : `${name.value.trim()} is added. Rollout brings its machines in.`)
  emit('changed')
}
</script>

<template>
  <ElDialog
    :model-value="true"
    :title="site ? `Change ${site.name} of ${client.name}` : `Add a site to ${client.name}`"
    width="600"
    append-to-body
    @close="emit('close')"
  >
    <ElForm label-width="90px" label-position="left" @submit.prevent="save">
      <ElFormItem label="Name" :error="faults.name"><ElInput v-model="name" aria-label="Name" maxlength="100" /></ElFormItem>
      <ElFormItem label="Zone" :error="faults.zone"><ChoiceField v-model="zone" label="Zone" :choices="zones" /></ElFormItem>
      <ElFormItem label="Networks" :error="faults.networks"><ElInput v-model="networks" aria-label="Networks" class="mono" placeholder="none; such as 192.0.2.0/24, several with commas" spellcheck="false" /></ElFormItem>
      <ElFormItem v-if="site" label="Also" :error="faults.named">
        <ElInput v-model="named" aria-label="Other addresses that may be looked at" class="mono" placeholder="none; such as shop.example, *.shop.example, 198.51.100.7" spellcheck="false" />
        <p class="faint">Beyond its networks: addresses, networks and names that devices of the site may look at, to see whether they can be reached.</p>
      </ElFormItem>
      <ElFormItem v-if="site" label="Notes" :error="faults.notes"><ElInput
        v-model="notes"
        aria-label="Notes"
        type="textarea"
        :rows="5"
        maxlength="4000"
        :disabled="!isRead"
        placeholder="how to get in, when somebody is there"
      /></ElFormItem>
      <p v-if="site && zone !== site.zone" class="warning">Hours of watches at this site are read in {{ zone }} from now on. Windows that are
        planned keep the zone that they were planned in.</p>
      <div class="row">
        <button class="btn main" :disabled="busy">{{ site ? 'Change it' : 'Add it' }}</button>
        <button type="button" class="btn" @click="emit('close')">Cancel</button>
      </div>
    </ElForm>
  </ElDialog>
</template>

<style scoped>
.faint {
  line-height: 1.4;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
