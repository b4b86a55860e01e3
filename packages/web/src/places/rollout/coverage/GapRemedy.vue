<script setup lang="ts">
import { ElForm, ElFormItem } from 'element-plus/es/components/form/index'
import 'element-plus/es/components/form/style/css'
import 'element-plus/es/components/form-item/style/css'
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { Filled, GapDevice, GapRemedy, GapView, GapWaiver, RemedyPreview } from '#contract'
import { countText } from '#core'
import { api } from '../../../parts/data/api'
import { useChecked } from '../../../parts/ui/checked'
import { attempt, done } from '../../../parts/ui/notify'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import RuleSentence from '../../../parts/ui/RuleSentence.vue'
import StateNotice from '../../../parts/ui/StateNotice.vue'
import ImpactView from '../../policy/impact/ImpactView.vue'
import { gapWords } from './gapWords'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** What closing some gaps would add, before it is added. */
const props = defineProps<{ gaps: GapView[]; devices: GapDevice[] }>()
const emit = defineEmits<{ closed: []; leave: [] }>()
const session = useSession()
const everywhere = ref(false)
const roles = computed(() => [...new Set(props.gaps.map((gap) => gap.roleName))])
const body = computed((): GapRemedy => ({
  gaps: props.gaps.map(({ need, instance }) => ({ need, instance })),
  everywhere: everywhere.value,
  deviceIds: props.devices.map((device) => device.id),
}))
const preview = useResource(() => api.post<RemedyPreview>('/coverage/preview', body.value), { sources: [body] })
const here = computed(() =>
  props.devices.length === 1 ? props.devices[0]!.name : `these ${props.devices.length} devices`,
)
const refusing = ref(false)
const reason = ref('')
const busy = ref(false)
async function act(path: string, what: unknown, said: string): Promise<void> {
  busy.value = true
  if (await attempt(() => api.post<Filled>(path, what))) {
    done(said)
    emit('closed')
  }
  busy.value = false
}
const add = () =>
  act(
    '/coverage/fill',
    body.value,
    preview.data.value?.collect.logs.length || preview.data.value?.collect.collectors.length
      ? 'Added. Agents collect it from their next report on.'
      : 'Added. The devices have it.',
  )
const waiver = (): GapWaiver => ({
  need: props.gaps[0]!.need,
  instance: props.gaps[0]!.instance,
  deviceIds: body.value.deviceIds,
  reason: reason.value,
})
const { faults, rule, send } = useChecked(async () => (await import('#contract')).gapWaiverSchema, waiver)
async function refuse(): Promise<void> {
  busy.value = true
  if (await send(() => api.post<Filled>('/coverage/waivers', waiver()))) {
    done('Noted; it is not shown again.')
    emit('closed')
  }
  busy.value = false
}
</script>

<template>
  <aside aria-label="What would be added">
    <p v-if="gaps.length > 4"><b>{{ gaps.length }} gaps:</b> {{ gaps.map((gap) => gap.instance).join(', ') }}</p>
    <p v-for="gap in gaps.length > 4 ? [] : gaps" :key="gap.need + gap.instance"><b>{{ gapWords(gap).name }}</b>
      {{ gapWords(gap).rest }}. <span class="muted">{{ gap.why }}</span></p>
    <p class="sentence">Add it on
      <ChoiceField v-model="everywhere" label="Where">
        <option :value="false">{{ here }}</option>
        <option v-if="session.isLead && roles.length === 1" :value="true">every {{ roles[0] }}</option>
      </ChoiceField></p>
    <StateNotice :error="preview.error.value" :loading="!preview.data.value" @again="preview.refresh" />
    <template v-if="preview.data.value">
      <p v-if="preview.data.value.collect.logs.length">Agents begin to read
        {{ preview.data.value.collect.logs.length === 1 ? 'the log' : 'the logs' }}
        <b>{{ preview.data.value.collect.logs.join(', ') }}</b>. How many entries that is a day shows once they are
        read.</p>
      <p v-for="collector in preview.data.value.collect.collectors" :key="collector">Agents get the collector
        <b>{{ collector }}</b>, signed by this server.</p>
      <p v-for="template in preview.data.value.templates" :key="template.name + template.targetText">{{ template.made ? 'A new template' : 'The template' }}
        <b>{{ template.name }}</b> is assigned to {{ template.targetText }}.</p>
      <p v-for="watch in preview.data.value.watches" :key="watch.name" class="watch">
        <RuleSentence :parts="watch.sentence" />
      </p>
      <p v-if="!preview.data.value.templates.length" class="muted">It is watched already; nothing is added to a policy.</p>
      <ImpactView
        v-if="preview.data.value.templates.length"
        :impact="preview.data.value.impact"
        title="If you add this"
      />
      <ElForm v-if="refusing" label-position="top" @submit.prevent="refuse">
        <ElFormItem :label="`Why is it not needed on ${here}?`" prop="reason" :rules="rule('reason')" :error="faults.reason">
          <ElInput v-model="reason" maxlength="500" />
        </ElFormItem>
        <div class="row">
          <button class="btn main" :disabled="busy">Not needed</button>
          <button type="button" class="btn" @click="refusing = false">Cancel</button>
        </div>
      </ElForm>
      <div v-else class="row">
        <button class="btn main" :disabled="busy" @click="add">Add
          {{ everywhere ? 'everywhere' : `on ${countText(devices.length, 'device')}` }}</button>
        <button v-if="gaps.length === 1" class="btn" @click="refusing = true">Not needed here…</button>
        <button class="btn" @click="emit('leave')">Cancel</button>
      </div>
    </template>
  </aside>
</template>

<style scoped>
aside {
  position: sticky;
  top: 0;
  display: grid;
  gap: 8px;
  padding: 12px 0 0 20px;
  border-left: 1px solid var(--rule);
  margin-top: 12px;
}
.watch {
  font: 15px/23px var(--serif);
  padding-left: 12px;
  border-left: 2px solid var(--act-soft);
}
.row {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
  margin-top: 4px;
}
</style>
