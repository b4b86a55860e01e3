<script setup lang="ts">
import type { MachineKey } from '#contract'
import { fingerprintText } from '#core'
import { acceptKeys } from './acceptKeys'

/** The key that a machine has shown, and what can be done about one that nobody has accepted. */
const props = defineProps<{ siteId: number; address: string; machineKey: MachineKey | null }>()
const emit = defineEmits<{ accepted: [] }>()
const words = { new: 'accept its key', changed: 'accept the new key' }

async function accept({ fingerprint }: MachineKey): Promise<void> {
  if (await acceptKeys(props.siteId, [{ address: props.address, fingerprint }])) emit('accepted')
}
</script>

<template>
  <span v-if="machineKey" class="key" :class="machineKey.state">
    <span
      class="mono print"
      :title="`Compare with ssh-keygen -l on the machine: ${fingerprintText(machineKey.fingerprint)}`"
    >{{ fingerprintText(machineKey.fingerprint) }}</span>
    <button v-if="machineKey.state !== 'accepted'" class="link" @click="accept(machineKey)">{{ words[machineKey.state] }}</button>
  </span>
</template>

<style scoped>
.key {
  display: inline-flex;
  gap: 8px;
  align-items: baseline;
}
.print {
  display: inline-block;
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  color: var(--ink3);
}
.changed .print {
  color: var(--critical);
}
.link {
  white-space: nowrap;
}
</style>
