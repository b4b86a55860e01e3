<script setup lang="ts">
import { ElInput } from 'element-plus/es/components/input/index'
import 'element-plus/es/components/input/style/css'
import { computed, ref } from 'vue'
import type { DevicePage, Impact, Role, WhatIf } from '#contract'
import { sentenceText } from '#core'
import { useAnswer } from '../../parts/data/answer'
import { api } from '../../parts/data/api'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import ChoiceField from '../../parts/ui/ChoiceField.vue'

/**
 * What the device would get if it were another: with other roles, at another site, with other tags. Changes nothing.
 */
const props = defineProps<{ device: DevicePage }>()
const session = useSession()
const roles = useResource(() => api.get<Role[]>('/roles'))
const wanted = ref<string[]>([...props.device.roles])
const siteId = ref(props.device.siteId)
const tags = ref(props.device.tags.join(', '))
const sites = computed(() =>
  session.clients.flatMap((client) =>
    client.sites.map((site) => ({ id: site.id, name: `${client.name} · ${site.name}` })),
  ),
)
const body = computed((): WhatIf => ({
  roles: wanted.value,
  siteId: siteId.value,
  tags: [
    ...new Set(
      tags.value
        .split(',')
        .map((part) => part.trim())
        .filter(Boolean),
    ),
  ],
}))
const { answer: found, error: fault } = useAnswer(body, (asked) =>
  api.post<Impact>(`/devices/${props.device.id}/roster/what-if`, asked),
)
const missing = computed(() => (roles.data.value ?? []).filter((role) => !wanted.value.includes(role.id)))
const nameOf = (id: string) => roles.data.value?.find((role) => role.id === id)?.name ?? id
const words = { added: 'would get', removed: 'would lose', altered: 'would change' } as const
const add = (role: string) => {
  if (role) wanted.value = [...wanted.value, role]
}
</script>

<template>
  <div class="whatif">
    <p class="sentence">If it were
      <template v-for="(role, i) in wanted" :key="role"><template v-if="i">, </template><b>{{ nameOf(role) }}</b> <button
      class="link"
      :aria-label="`without ${nameOf(role)}`"
      @click="wanted = wanted.filter((each) => each !== role)"
    >×</button></template><template v-if="!wanted.length">without a role</template>
      <ChoiceField model-value="" label="With the role" @update:model-value="add">
        <option value="">and…</option>
        <option v-for="role in missing" :key="role.id" :value="role.id">{{ role.name }}</option>
      </ChoiceField> at
      <ChoiceField v-model="siteId" label="At the site">
        <option v-for="site in sites" :key="site.id" :value="site.id">{{ site.name }}</option>
      </ChoiceField> with the tags <ElInput v-model.lazy="tags" aria-label="With the tags" placeholder="none" /></p>
    <p v-if="fault" class="critical" role="alert">{{ fault.message }}</p>
    <template v-else-if="found">
      <p v-if="!found.watches.length" class="muted">Its roster would stay as it is.</p>
      <div v-for="watch in found.watches" :key="watch.key" class="one">
        <span class="muted">{{ words[watch.change] }}</span>
        <div>
          <b>{{ watch.name }}</b>
          <p v-if="watch.before" class="rule" :class="{ gone: watch.change !== 'added' }">{{ sentenceText(watch.before) }}</p>
          <p v-if="watch.after" class="rule">{{ sentenceText(watch.after) }}</p>
        </div>
      </div>
    </template>
  </div>
</template>

<style scoped>
.whatif {
  border-left: 2px solid var(--act);
  padding: 4px 0 8px 14px;
  margin: 6px 0 10px;
}
.one {
  display: grid;
  grid-template-columns: 100px 1fr;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule2);
}
.rule {
  font: 15px/22px var(--serif);
}
.gone {
  text-decoration: line-through;
  color: var(--ink2);
}
</style>
