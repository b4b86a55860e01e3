<script setup lang="ts">
import { computed } from 'vue'
import type { DevicePage } from '#contract'
import { countText, type WaitingUpdate } from '#core'
import { updatesDoubt } from '../../../parts/data/known'
import { age, fullText } from '../../../parts/format/time'
import DoubtText from '../../../parts/ui/DoubtText.vue'
import { heldWords, kindText, stepText } from './words'

/** What waits to be installed on a device, and what an update that was installed waits for itself. */
const props = defineProps<{ device: DevicePage }>()
const updates = computed(() => props.device.facts.updates)
/** Agents before 0.11.0 tell names alone. */
const waiting = computed((): WaitingUpdate[] => props.device.facts.waiting ?? [])
const names = computed(() => (props.device.facts.waiting ? [] : (updates.value?.names ?? [])))
const total = computed(() => (updates.value ? updates.value.security + updates.value.other + (updates.value.held ?? 0) : 0))
const outdated = computed(() => {
  const programs = updates.value?.outdated ?? []
  return { services: programs.filter(({ service }) => service), others: programs.filter(({ service }) => !service) }
})
const filesOf = (files: readonly string[]) => files.join('\n')
const linkTo = (name: string) => ({ path: '/estate/updates', query: { update: name } })
</script>

<template>
  <div>
    <h2>Updates <DoubtText :doubt="updatesDoubt(device)" /></h2>
    <p v-if="updates?.listsAt === null" class="warning">No package lists were ever fetched here.</p>
    <p v-else-if="updates">{{ updates.security }} security, {{ updates.other }} other<template v-if="updates.held">, {{ updates.held }} held back<template v-if="updates.heldSecurity"> ({{ updates.heldSecurity }} for security)</template></template><template v-if="updates.leftover">, {{ updates.leftover }} leftovers</template><template v-if="updates.oldestSecurityAt">; the oldest security update has been waiting for
      <b>{{ age(updates.oldestSecurityAt) }}</b></template>.
      <span class="faint">Checked {{ age(updates.checkedAt) }} ago<template v-if="updates.listsAt">, in package lists from {{ age(updates.listsAt) }} ago</template><template v-if="updates.installedAt">; last installed {{ fullText(updates.installedAt) }}</template>.</span></p>
    <p v-if="updates?.refresh" class="warning">The package lists could not be fetched for {{ age(updates.refresh.since) }}: {{ updates.refresh.reason }}</p>
    <p v-if="updates?.restartPending" class="warning">A restart is pending<template v-if="updates.restartSince"> for {{ age(updates.restartSince) }}</template>.</p>
    <p v-if="outdated.services.length" class="warning">Still on files that were replaced since they started: <template v-for="(program, i) in outdated.services" :key="program.name">{{ i ? ', ' : '' }}<RouterLink class="mono" :to="{ hash: '#services' }" :title="filesOf(program.files)">{{ program.name }}</RouterLink> <span class="muted">for {{ age(program.since) }}</span></template>.</p>
    <p v-if="outdated.others.length" class="muted">So are, outside of services: <template v-for="(program, i) in outdated.others" :key="program.name">{{ i ? ', ' : '' }}<span class="mono" :title="filesOf(program.files)">{{ program.name }}</span></template>.</p>
    <details v-if="waiting.length">
      <summary>{{ waiting.length < total ? `${waiting.length} of ${total}` : countText(waiting.length, 'update') }} by name</summary>
      <ul>
        <li v-for="update in waiting" :key="update.name">
          <RouterLink class="mono" :to="linkTo(update.name)">{{ update.name }}</RouterLink>{{ ' ' }}
          <span class="mono step">{{ stepText(update) }}</span>{{ ' ' }}
          <span class="muted">{{ kindText(update) }}, for {{ age(update.since) }}<template v-if="update.origin">, from {{ update.origin }}</template></span>{{ ' ' }}
          <span v-if="update.held" class="held">{{ heldWords[update.held] }}</span>
        </li>
      </ul>
    </details>
    <details v-else-if="names.length">
      <summary>{{ countText(names.length, 'name') }}</summary>
      <p class="mono names">{{ names.join('  ') }}</p>
    </details>
  </div>
</template>

<style scoped>
h2 {
  margin: 16px 0 4px;
}
ul {
  margin: 6px 0;
  padding: 0;
  list-style: none;
}
li {
  padding: 1px 0;
  overflow-wrap: anywhere;
}
.step {
  margin: 0 6px;
}
.names {
  white-space: pre-wrap;
  color: var(--ink2);
}
summary {
  cursor: pointer;
  color: var(--act);
}
</style>
