<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { TargetMatches } from '#contract'
import { countText, type Group, type Target } from '#core'
import { useAnswer } from '../../../parts/data/answer'
import { api } from '../../../parts/data/api'
import { asGroup, simplest } from './conditions'
import TargetGroup from './TargetGroup.vue'

/** Which devices: conditions put together, with the sentence they make and the devices they match while one builds. */
const props = defineProps<{ target: Target }>()
const emit = defineEmits<{ change: [target: Target]; matches: [matches: TargetMatches | null] }>()
const group = ref<Group>(asGroup(props.target))
watch(
  () => props.target,
  (target) => {
    if (JSON.stringify(simplest(group.value)) !== JSON.stringify(simplest(target))) group.value = asGroup(target)
  },
)
function use(changed: Group): void {
  group.value = changed
  emit('change', simplest(changed))
}
const { answer: found, answered } = useAnswer(group, (target) =>
  api.post<TargetMatches>('/targets/matches', { target }),
)
watch(answered, () => {
  emit('matches', found.value)
})
const faults = computed(() => found.value?.faults ?? [])
const listing = ref(false)
/** By hand: those that match today, and no others later. */
async function freeze(): Promise<void> {
  const ids = found.value?.sample.map((device) => device.deviceId) ?? []
  if (ids.length) use({ on: 'all', of: [{ on: 'devices', deviceIds: ids }] })
}
const byHand = computed(() => group.value.of.length === 1 && group.value.of[0]!.on === 'devices')
</script>

<template>
  <div class="builder">
    <TargetGroup :group="group" :faults="faults" :at="[]" @change="use" />
    <div class="found" aria-live="polite">
      <template v-if="found">
        <p class="says">{{ found.sentence }}</p>
        <p v-if="faults.length" class="critical">Not complete:
          {{ countText(faults.length, 'place needs', 'places need') }} your attention.</p>
        <p v-else><b data-matches>{{ countText(found.devices, 'device') }}</b> now<template v-if="found.devices"> at {{ countText(found.clients, 'client') }}
            <button type="button" class="link" :aria-expanded="listing" @click="listing = !listing">{{ listing ? 'hide them' : 'which?' }}</button></template><template v-else>. It may be saved all the same, and will take those that come.</template>
          <span class="muted">{{ byHand ? ' · by hand: these and no others' : ' · standing: also those that come later' }}</span>
          <button
            v-if="!byHand && found.devices > 0 && found.devices <= 200"
            type="button"
            class="link"
            @click="freeze"
          >only these {{ found.devices }}</button></p>
        <p v-if="listing && !faults.length" class="names">
          <template v-for="(device, i) in found.sample" :key="device.deviceId">
            <template v-if="i">, </template>
            <span class="mono" :title="`${device.clientName} · ${device.siteName}`">{{ device.deviceName }}</span>
          </template>
          <span v-if="found.devices > found.sample.length" class="muted"> and {{ found.devices - found.sample.length }}
            more</span>
        </p>
      </template>
      <p v-else class="faint">Counting…</p>
    </div>
  </div>
</template>

<style scoped>
.builder {
  display: grid;
  gap: 6px;
}
.found {
  border-top: 1px solid var(--rule2);
  padding-top: 6px;
}
.says {
  font: 16px/23px var(--serif);
}
.names {
  max-height: 110px;
  overflow: auto;
  font-size: 13px;
  line-height: 19px;
}
.found .link {
  margin-left: 6px;
}
</style>
