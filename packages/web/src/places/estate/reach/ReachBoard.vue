<script setup lang="ts">
import { ElCheckbox } from 'element-plus/es/components/checkbox/index'
import 'element-plus/es/components/checkbox/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { refDebounced } from '@vueuse/core'
import { computed, defineAsyncComponent, ref } from 'vue'
import type { ReachPage } from '#contract'
import { numberText } from '#core'
import { useAddressed } from '../../../parts/data/addressed'
import { api } from '../../../parts/data/api'
import { partQuery, useParts } from '../../../parts/data/parts'
import { useSession } from '../../../parts/data/session'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import EstateParts from '../EstateParts.vue'
import ReachTable from './ReachTable.vue'

/** What of all devices is looked at from others, the worst first. */
const AddressDialog = defineAsyncComponent(() => import('./AddressDialog.vue'))
const session = useSession()
const wrong = useAddressed('wrong')
const words = ref('')
const asked = refDebounced(words, 250)
const adding = ref(false)
const clientId = computed(() => session.clientId)
const { data, error, refresh, more } = useParts<ReachPage>(
  (after) => {
    const query = partQuery(clientId.value, after)
    if (wrong.value) query.set('wrong', 'true')
    if (asked.value.trim()) query.set('words', asked.value.trim())
    return api.get(`/reach?${query}`)
  },
  (before, after) => ({ ...after, rows: [...before.rows, ...after.rows] }),
  { sources: [clientId, wrong, asked], topics: ['alerts', 'estate', 'policy'] },
)
const emptyText = computed(() => {
  if (!data.value || data.value.rows.length) return ''
  if (asked.value.trim()) return `Nothing with “${asked.value.trim()}” in its name is looked at.`
  if (wrong.value) return 'All that is looked at answers as it should.'
  return `Nothing of ${session.client?.name ?? 'any client'} is looked at from elsewhere yet. A watch of a port, a web page, a certificate, a name, a ping or a mail server in a template of its policy does it; what has no agent is added here first.`
})
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Estate</h1>
      <span v-if="data" class="muted">{{ numberText(data.total) }} looked at from elsewhere<template v-if="data.wrong">, <span class="critical">{{ numberText(data.wrong) }} not as they should be</span></template></span>
      <span v-if="session.mayChange" class="end"><button class="btn" @click="adding = true">Add what has no agent</button></span>
    </div>
    <EstateParts />
    <div class="sentence">
      <span>Looked at of <b>{{ session.client?.name ?? 'every client' }}</b>, what needs a person first</span>
      <ElCheckbox :model-value="wrong !== ''" @update:model-value="wrong = $event ? '1' : ''">only what is not as it should be</ElCheckbox>
      <ElInput v-model="words" aria-label="Narrow by words" placeholder="narrow by words" clearable class="narrow" />
    </div>
    <StateNotice :error="error" :loading="!data" :empty="emptyText" @again="refresh" />
    <ReachTable v-if="data?.rows.length" :rows="data.rows" label="Looked at from elsewhere" />
    <p v-if="data?.next" class="muted note">The first {{ data.rows.length }} of {{ data.total }}. <button class="link" @click="more">Show more</button></p>
    <AddressDialog v-if="adding" @close="adding = false" />
  </div>
</template>

<style scoped src="../asked.css"></style>
