<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { DevicePage, TargetMatches } from '#contract'
import { hiddenNeeds, tryChoice, type Choosing, type ParameterValue, type Target, type Values } from '#core'
import { useAnswer } from '../../../parts/data/answer'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** What a watch's names choose on a real device, while one types them. */
const props = defineProps<{
  choosing: Choosing
  values: Values
  typing: { name: string; value: ParameterValue } | null
  targets: readonly Target[]
  /** To try it on; without, one is chosen among those of the targets. */
  device?: DevicePage
  /** It is for others, too, whatever their roles. */
  isWider?: boolean
}>()
const emit = defineEmits<{ pick: [name: string] }>()
const devices = useResource(() =>
  props.device
    ? Promise.resolve(null)
    : api.post<TargetMatches>('/targets/matches', {
        target: props.targets.length ? { on: 'any', of: props.targets } : { on: 'everyone' },
      }),
)
const deviceId = ref<number | null>(null)
watch(
  () => devices.data.value?.sample,
  (sample) => {
    deviceId.value ??= sample?.[0]?.deviceId ?? null
  },
)
const { answer: read } = useAnswer(deviceId, (id) => (id === null ? null : api.get<DevicePage>(`/devices/${id}`)), {
  rest: 0,
})
const device = computed(() => props.device ?? read.value)
const tried = computed(() => (props.typing ? { ...props.values, [props.typing.name]: props.typing.value } : props.values))
const things = computed(() => (device.value ? tryChoice(props.choosing, tried.value, device.value.facts) : []))
/** What roles need and these patterns hide: of this device, or, where any may be meant, of any. */
const hidden = computed(() => {
  const { except } = props.choosing
  if (except === undefined || props.typing?.name !== except || !props.choosing.isService) return []
  const left = (tried.value[except] as readonly string[] | null) ?? []
  if (!props.device || props.isWider) return hiddenNeeds(left, null)
  const { roles, facts } = props.device
  return hiddenNeeds(left, { roles, services: facts.services ?? [] })
})
const hiddenText = computed(() => hidden.value.map(({ service, role }) => `${service}, which the role ${role} needs`).join('; '))
const inside = computed(() => things.value.filter((instance) => instance.in).length)
</script>

<template>
  <div class="trial">
    <p v-if="hidden.length" class="warning" role="status">This hides {{ hiddenText }}.</p>
    <p v-if="props.device" class="faint">On {{ props.device.name }} {{ inside }} of {{ things.length }} are in; a name is put into the field by a click</p>
    <p v-else class="faint">Tried on
      <ChoiceField v-model="deviceId" label="Device to try it on">
        <option v-for="device in devices.data.value?.sample" :key="device.deviceId" :value="device.deviceId">{{ device.deviceName }}</option>
      </ChoiceField><template v-if="device">: {{ inside }} of {{ things.length }} are in</template></p>
    <ul v-if="things.length">
      <li v-for="instance in things" :key="instance.name" :class="{ out: !instance.in }">
        <button
          type="button"
          class="mono"
          title="put its name into the field"
          @click="emit('pick', instance.name)"
        >{{ instance.name }}</button>
        <span v-if="instance.title" class="faint title">{{ instance.title }}</span>
        <span class="visually-hidden">{{ instance.in ? 'in' : 'out' }}</span>
      </li>
    </ul>
    <p v-else-if="device" class="faint">It has told nothing of this yet.</p>
  </div>
</template>

<style scoped>
.trial {
  border-top: 1px solid var(--rule2);
  padding-top: 6px;
}
select {
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 0;
  border-bottom: 1px dotted var(--ink2);
  max-width: 170px;
}
ul {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  max-height: 150px;
  overflow: auto;
}
li button {
  border: 0;
  background: none;
  padding: 0;
  cursor: pointer;
  text-align: left;
}
li {
  display: flex;
  gap: 8px;
  white-space: nowrap;
  overflow: hidden;
}
.title {
  overflow: hidden;
  text-overflow: ellipsis;
}
.out button {
  color: var(--ink3);
  text-decoration: line-through;
}
</style>
