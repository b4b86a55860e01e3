<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { DevicePage, RosterWatch } from '#contract'
import { patternFault, watchKind, type PolicyStep, type Target } from '#core'
import { useSession } from '../../../parts/data/session'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'
import ReviewDate from '../../policy/exceptions/ReviewDate.vue'
import ChangeDialog from '../../policy/impact/ChangeDialog.vue'
import InstanceTrial from '../../policy/templates/InstanceTrial.vue'

/** Leaves services out of the watch that looks at all of them, by a pattern: here, at the client, or everywhere. */
const props = defineProps<{ device: DevicePage; watch: RosterWatch; name: string }>()
const emit = defineEmits<{ close: [done: boolean] }>()
const session = useSession()
const pattern = ref(props.name)
const where = ref<'device' | 'site' | 'client' | 'everyone'>('device')
const reason = ref('')
const reviewAt = ref<number | null>(null)
const targets: Record<typeof where.value, () => Target> = {
  device: () => ({ on: 'devices', deviceIds: [props.device.id] }),
  site: () => ({ on: 'site', siteId: props.device.siteId }),
  client: () => ({ on: 'client', clientId: props.device.clientId }),
  everyone: () => ({ on: 'everyone' }),
}
const written = computed(() => pattern.value.trim())
const fault = computed(() => patternFault(written.value))
const choosing = computed(() => watchKind(props.watch.kind).choosing!)
/** With what others leave out already. */
const except = computed(() => [written.value, ...((props.watch.values.except as readonly string[] | undefined) ?? [])])
const steps = computed((): PolicyStep[] | null =>
  fault.value || reason.value.trim().length < 3
    ? null
    : [
        {
          of: 'exception',
          id: -1,
          basedOn: 0,
          to: {
            target: targets[where.value](),
            watch: props.watch.key,
            values: { except: [written.value] },
            leftOut: false,
            reason: reason.value.trim(),
            ownerId: session.person?.id ?? null,
            reviewAt: reviewAt.value,
          },
        },
      ],
)
</script>

<template>
  <ChangeDialog
    :title="`Leave services out of “${watch.name}”`"
    :steps="steps"
    verb="Leave them out on"
    said="Left out, of services found later, too."
    @close="(isDone) => emit('close', isDone)"
  >
    <template #form>
      <p class="sentence">Leave out services called
        <ElInput v-model="pattern" class="mono pattern" aria-label="Name, with * for any run of characters" spellcheck="false" autofocus />
        on
        <ChoiceField v-model="where" label="Where">
          <option value="device">{{ device.name }}</option>
          <option value="site">all devices at {{ device.clientName }} · {{ device.siteName }}</option>
          <option value="client">all devices of {{ device.clientName }}</option>
          <option v-if="session.isLead" value="everyone">every device</option>
        </ChoiceField></p>
      <p v-if="fault" class="critical" role="alert">{{ fault }}</p>
      <label>Why
        <ElInput v-model="reason" placeholder="stops itself when there is nothing to update" maxlength="500" /></label>
      <ReviewDate :at="reviewAt" @change="(at) => { reviewAt = at }" />
      <InstanceTrial
        :choosing="choosing"
        :values="watch.values"
        :typing="{ name: 'except', value: fault ? watch.values.except ?? [] : except }"
        :targets="[]"
        :device="device"
        :is-wider="where !== 'device'"
        @pick="(name) => { pattern = name }"
      />
    </template>
  </ChangeDialog>
</template>

<style scoped>
.pattern {
  width: 260px;
}
label {
  display: grid;
  gap: 4px;
}
</style>
