<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref, watch } from 'vue'
import type { ExceptionView, PersonListed, TargetMatches } from '#contract'
import {
  valueText,
  watchKind,
  withDefaults,
  type ParameterValue,
  type PolicyStep,
  type Target,
  type Values,
  type WatchSpec,
} from '#core'
import { api } from '../../../parts/data/api'
import ParameterEditor from '../../../parts/ui/ParameterEditor.vue'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import ChangeDialog from '../impact/ChangeDialog.vue'
import CountersTrial from '../templates/CountersTrial.vue'
import InstanceTrial from '../templates/InstanceTrial.vue'
import ReviewDate from './ReviewDate.vue'
import TargetBuilder from '../target/TargetBuilder.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** A value changed, or a watch left out, for one device or a target; made anew or looked at again. */
const props = defineProps<{
  watches: readonly Pick<WatchSpec, 'key' | 'kind' | 'name'>[]
  exception?: ExceptionView
  target?: Target
}>()
const emit = defineEmits<{ close: [] }>()
const session = useSession()
const before = props.exception
const people = useResource(() => api.get<PersonListed[]>('/people'))
const key = ref(before?.watch ?? props.watches[0]?.key ?? '')
const kind = computed(() => before?.kind ?? props.watches.find((watch) => watch.key === key.value)?.kind ?? '')
const target = ref<Target>(before?.target ?? props.target ?? { on: 'client', clientId: session.clientId ?? 0 })
const matches = ref<TargetMatches | null>(null)
const leftOut = ref(before?.leftOut ?? false)
const values = ref<Values>({ ...before?.values })
const reason = ref(before?.reason ?? '')
const ownerId = ref(before ? before.ownerId : (session.person?.id ?? null))
const reviewAt = ref(before?.reviewAt ?? null)
const name = ref('')
const parameters = computed(() => (kind.value ? watchKind(kind.value).parameters : []))
const parameter = computed(() => parameters.value.find((candidate) => candidate.name === name.value))
const typing = ref<ParameterValue>(null)
watch(name, (chosen) => {
  typing.value = values.value[chosen] ?? parameter.value?.default ?? null
})
/** How a watch chooses among the things of a device by the value that is typed. */
const choosing = computed(() => {
  const found = kind.value ? watchKind(kind.value).choosing : undefined
  return found && [found.include, found.except].includes(name.value) ? found : null
})
function setValue(value: ParameterValue): void {
  values.value = { ...values.value, [name.value]: value }
  name.value = ''
}
const set = computed(() =>
  Object.entries(values.value).map(([parameterName, value]) => {
    const found = parameters.value.find((each) => each.name === parameterName)
    return { name: parameterName, text: found ? `${found.label} ${valueText(found, value)}` : parameterName }
  }),
)
const complete = computed(
  () =>
    matches.value?.faults.length === 0 && (leftOut.value || set.value.length > 0) && reason.value.trim().length >= 3,
)
const steps = computed((): PolicyStep[] | null =>
  complete.value
    ? [
        {
          of: 'exception',
          id: before?.id ?? -1,
          basedOn: before?.revision ?? 0,
          to: {
            target: target.value,
            watch: key.value,
            values: leftOut.value ? {} : values.value,
            leftOut: leftOut.value,
            reason: reason.value,
            ownerId: ownerId.value,
            reviewAt: reviewAt.value,
          },
        },
      ]
    : null,
)
function drop(parameterName: string): void {
  const { [parameterName]: _dropped, ...rest } = values.value
  values.value = rest
}
</script>

<template>
  <ChangeDialog
    :title="before ? 'Change an exception' : 'Make an exception'"
    :steps="steps"
    :verb="before ? 'Change it for' : 'Make the exception for'"
    :devices="matches && !matches.faults.length ? matches.devices : null"
    :said="before ? 'Changed. The devices have it.' : 'The exception stands.'"
    impact-title="If you save this"
    @close="emit('close')"
  >
    <template #form>
      <p class="sentence"><ChoiceField v-if="!before" v-model="key" label="Watch" @change="values = {}">
          <option v-for="watch in watches" :key="watch.key" :value="watch.key">{{ watch.name }} ({{ watch.key }})</option>
        </ChoiceField><b v-else>{{ before.watchName }}</b>
        <ChoiceField v-model="leftOut" label="What">
          <option :value="false">has its own value</option>
          <option :value="true">is left out</option>
        </ChoiceField> on every device that matches</p>
      <TargetBuilder
        :target="target"
        @change="(emitted) => { target = emitted; matches = null }"
        @matches="(emitted) => { matches = emitted }"
      />
      <template v-if="!leftOut">
        <p v-for="setting in set" :key="setting.name"><b>{{ setting.text }}</b> <button type="button" class="link" @click="drop(setting.name)">remove</button></p>
        <p class="sentence">
          <ChoiceField v-model="name" label="Parameter">
            <option value="">{{ set.length ? 'and another value…' : 'which value?' }}</option>
            <option v-for="parameter in parameters" :key="parameter.name" :value="parameter.name">{{ parameter.label }}</option>
          </ChoiceField>
        </p>
        <ParameterEditor
          v-if="parameter"
          :parameter="parameter"
          :value="typing"
          @change="setValue"
          @typing="(value) => { typing = value }"
          @cancel="name = ''"
        >
          <template #default="{ typed }">
          <CountersTrial v-if="parameter.type === 'lines'" :values="{ ...withDefaults(kind, values), [name]: typed }" />
          <InstanceTrial
            v-if="choosing"
            :choosing="choosing"
            :values="withDefaults(kind, values)"
            :typing="{ name, value: typing }"
            :targets="[target]"
            @pick="(picked) => { typing = parameter?.type === 'patterns' ? [...((typing ?? []) as string[]), picked] : picked }"
          />
          </template>
        </ParameterEditor>
      </template>
      <ElInput
        v-model="reason"
        placeholder="Why (whoever finds this in a year needs it)"
        aria-label="Reason"
        maxlength="500"
        required
        minlength="3" />
      <p class="settings">
        <label>Answers for it
          <ChoiceField v-model="ownerId" label="Owner">
            <option :value="null">nobody</option>
            <option v-for="person in people.data.value" :key="person.id" :value="person.id">{{ person.name }}</option>
          </ChoiceField></label>
        <ReviewDate :at="reviewAt" @change="(at) => { reviewAt = at }" />
      </p>
    </template>
  </ChangeDialog>
</template>
