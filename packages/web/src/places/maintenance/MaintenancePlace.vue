<script setup lang="ts">
import { ref, toRef } from 'vue'
import type { WindowList } from '#contract'
import { api } from '../../parts/data/api'
import { useClientInAddress } from '../../parts/data/clientInAddress'
import { useKeys } from '../../parts/shell/keys'
import { partQuery, useParts } from '../../parts/data/parts'
import { useSession } from '../../parts/data/session'
import NearEnd from '../../parts/ui/NearEnd.vue'
import StateNotice from '../../parts/ui/StateNotice.vue'
import WindowDialog from './WindowDialog.vue'
import WindowTable from './WindowTable.vue'

const session = useSession()
useClientInAddress()
const planning = ref(false)
const groups = (
  [
    { group: 'open', title: 'In force', empty: 'No window holds anything back now.' },
    { group: 'coming', title: 'To come', empty: 'Nothing is planned.' },
    { group: 'over', title: 'Over', empty: 'No window has ended yet.' },
  ] as const
).map((about) => ({
  ...about,
  list: useParts(
    (after) => {
      const query = partQuery(session.clientId, after)
      query.set('group', about.group)
      return api.get<WindowList>(`/windows?${query}`)
    },
    (before, after) => ({ ...after, windows: [...before.windows, ...after.windows] }),
    { topics: ['windows', 'alerts'], sources: [toRef(session, 'clientId')] },
  ),
}))
const [open, coming] = [groups[0]!, groups[1]!]
useKeys('Maintenance', [
  {
    key: 'a',
    does: 'plan a window',
    run: () => {
      planning.value = session.mayChange
    },
  },
])
</script>

<template>
  <div class="page">
    <div class="head">
      <h1>Maintenance</h1>
      <span v-if="open.list.data.value && coming.list.data.value" class="muted">{{ open.list.data.value.total }} in force, {{ coming.list.data.value.total }} to come</span>
      <span class="end">
        <button v-if="session.mayChange" class="btn main" @click="planning = true">Plan a window <kbd>a</kbd></button>
      </span>
    </div>
    <section v-for="{ group, title, empty, list } in groups" :key="group">
      <h2>{{ title }} <span v-if="list.data.value" class="faint">{{ list.data.value.total }}</span></h2>
      <StateNotice
        :error="list.error.value"
        :loading="!list.data.value"
        :empty="list.data.value?.windows.length === 0 ? empty : ''"
        @again="list.refresh"
      />
      <template v-if="list.data.value?.windows.length">
        <WindowTable :windows="list.data.value.windows" />
        <NearEnd
          v-if="list.data.value.next"
          :rest="list.data.value.total - list.data.value.windows.length"
          @near="list.more"
        />
      </template>
    </section>
    <WindowDialog v-if="planning" @close="planning = false" />
  </div>
</template>

<style scoped>
section {
  margin-top: 18px;
}
h2 {
  margin-bottom: 4px;
}
</style>
