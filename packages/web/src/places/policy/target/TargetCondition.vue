<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed } from 'vue'
import type { Role } from '#contract'
import { deviceKinds, osFamilies, targetFacts, type Condition, type ConditionClass } from '#core'
import { api } from '../../../parts/data/api'
import { useResource } from '../../../parts/data/resource'
import { useSession } from '../../../parts/data/session'
import { conditionWords, freshCondition } from './conditions'
import DevicePick from './DevicePick.vue'
import ChoiceField from '../../../parts/ui/ChoiceField.vue'

/** One condition as a line: what it is about, and the value, typed or chosen in place. */
defineProps<{ condition: Condition; faults: readonly string[]; number: number }>()
const emit = defineEmits<{ change: [condition: Condition]; remove: [] }>()
const session = useSession()
const roles = useResource(() => api.get<Role[]>('/roles'))
const sites = computed(() =>
  session.clients.flatMap((client) =>
    client.sites.map((site) => ({ id: site.id, name: `${client.name} · ${site.name}` })),
  ),
)
const facts = { service: 'service', package: 'package', port: 'open port', disk: 'disk', log: 'log' } as const
const example = {
  service: 'nginx*',
  package: 'postgresql-*',
  port: '443',
  disk: '/srv',
  log: 'Directory Service',
} as const
</script>

<template>
  <div class="condition">
    <p class="line">
      <ChoiceField
        :model-value="condition.on"
        :label="`Condition ${number}`"
        @update:model-value="emit('change', freshCondition($event as ConditionClass))"
      >
        <option v-for="[on, words] in conditionWords" :key="on" :value="on">{{ words }}</option>
      </ChoiceField>
      <ChoiceField
        v-if="condition.on === 'kind'"
        :model-value="condition.kind"
        label="Kind"
        @update:model-value="emit('change', { on: 'kind', kind: $event as never })"
      >
        <option v-for="kind in deviceKinds" :key="kind" :value="kind">{{ kind }}</option>
      </ChoiceField>
      <ChoiceField
        v-else-if="condition.on === 'os'"
        :model-value="condition.osFamily"
        label="System"
        @update:model-value="emit('change', { on: 'os', osFamily: $event as never })"
      >
        <option v-for="family in osFamilies" :key="family" :value="family">{{ family === 'linux' ? 'Linux' : 'Windows' }}</option>
      </ChoiceField>
      <ElInput
        v-else-if="condition.on === 'osName'"
        :model-value="condition.pattern"
        aria-label="System and version"
        placeholder="Debian*12*"
        spellcheck="false"
        @update:model-value="emit('change', { on: 'osName', pattern: $event })" />
      <ChoiceField
        v-else-if="condition.on === 'role'"
        :model-value="condition.role"
        label="Role"
        @update:model-value="emit('change', { on: 'role', role: $event })"
      >
        <option value="" disabled>which?</option>
        <option v-for="role in roles.data.value" :key="role.id" :value="role.id">{{ role.name }}</option>
      </ChoiceField>
      <ChoiceField
        v-else-if="condition.on === 'client'"
        :model-value="condition.clientId"
        label="Client"
        @update:model-value="emit('change', { on: 'client', clientId: $event })"
      >
        <option :value="0" disabled>which?</option>
        <option v-for="client in session.clients" :key="client.id" :value="client.id">{{ client.name }}</option>
      </ChoiceField>
      <ChoiceField
        v-else-if="condition.on === 'site'"
        :model-value="condition.siteId"
        label="Site"
        @update:model-value="emit('change', { on: 'site', siteId: $event })"
      >
        <option :value="0" disabled>which?</option>
        <option v-for="site in sites" :key="site.id" :value="site.id">{{ site.name }}</option>
      </ChoiceField>
      <ElInput
        v-else-if="condition.on === 'tag'"
        :model-value="condition.tag"
        aria-label="Tag"
        placeholder="lab"
        spellcheck="false"
        maxlength="60"
        @update:model-value="emit('change', { on: 'tag', tag: $event })" />
      <ElInput
        v-else-if="condition.on === 'name'"
        :model-value="condition.pattern"
        aria-label="Name"
        placeholder="db-*"
        spellcheck="false"
        class="mono"
        @update:model-value="emit('change', { on: 'name', pattern: $event })" />
      <ElInput
        v-else-if="condition.on === 'network'"
        :model-value="condition.network"
        aria-label="Address range"
        placeholder="192.0.2.0/24"
        spellcheck="false"
        class="mono"
        @update:model-value="emit('change', { on: 'network', network: $event })" />
      <template v-else-if="condition.on === 'fact'">
        <ChoiceField
          :model-value="condition.fact"
          label="Fact"
          @update:model-value="emit('change', { ...condition, fact: $event as never })"
        >
          <option v-for="fact in targetFacts" :key="fact" :value="fact">{{ facts[fact] }}</option>
        </ChoiceField>
        <ElInput
          :model-value="condition.pattern"
          aria-label="Name of it"
          :placeholder="example[condition.fact]"
          spellcheck="false"
          class="mono"
          @update:model-value="emit('change', { ...condition, pattern: $event })" />
      </template>
      <DevicePick
        v-else-if="condition.on === 'devices'"
        :ids="condition.deviceIds"
        @change="(deviceIds) => emit('change', { on: 'devices', deviceIds })"
      />
      <button type="button" class="link away" :aria-label="`Remove condition ${number}`" @click="emit('remove')">remove</button>
    </p>
    <p v-for="fault in faults" :key="fault" class="critical" role="alert">{{ fault }}</p>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  gap: 6px;
  align-items: baseline;
  flex-wrap: wrap;
  padding: 2px 0;
}
.away {
  font-size: 13px;
  margin-left: auto;
}
select {
  font: 600 15px var(--serif);
  color: var(--ink);
  background: var(--field);
  border: 0;
  border-bottom: 1.5px dotted var(--ink2);
  max-width: 240px;
}
input {
  font: inherit;
  color: var(--ink);
  background: var(--field);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 6px;
  width: 170px;
}
</style>
