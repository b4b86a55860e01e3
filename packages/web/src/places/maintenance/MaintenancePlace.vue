<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { WindowView } from '#contract'
import { isOpen, isOver } from '#core'
import { api } from '../../parts/data/api'
import { useKeys } from '../../parts/shell/keys'
import { useResource } from '../../parts/data/resource'
import { useSession } from '../../parts/data/session'
import StateNotice from '../../parts/ui/StateNotice.vue'
import { now } from '../../parts/format/time'
import WindowDialog from './WindowDialog.vue'
import WindowTable from './WindowTable.vue'

const session = useSession()
const router = useRouter()
const { data, error, refresh } = useResource(() => api.get<WindowView[]>('/windows'), { topics: ['windows', 'alerts'] })
const planning = ref(false)
const shown = computed(() => (data.value ?? []).filter((listed) => listed.clientId === null || session.inView(listed.clientId)))
const groups = computed(() => [
  {
    title: 'In force',
    rows: shown.value.filter((listed) => isOpen(listed, now.value)),
    empty: 'No window holds anything back now.',
  },
  {
    title: 'To come',
    rows: shown.value.filter((listed) => listed.from > now.value && !isOver(listed, now.value)).reverse(),
    empty: 'Nothing is planned.',
  },
  { title: 'Over', rows: shown.value.filter((listed) => isOver(listed, now.value)), empty: 'No window has ended yet.' },
])
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
      <span v-if="data" class="muted">{{ groups[0]!.rows.length }} in force, {{ groups[1]!.rows.length }} to come</span>
      <span class="end">
        <button v-if="session.mayChange" class="btn main" @click="planning = true">Plan a window <kbd>a</kbd></button>
      </span>
    </div>
    <StateNotice :error="error" :loading="!data" @again="refresh" />
    <section v-for="group in data ? groups : []" :key="group.title">
      <h2>{{ group.title }}</h2>
      <WindowTable v-if="group.rows.length" :windows="group.rows" @open="(id) => router.push(`/maintenance/${id}`)" />
      <p v-else class="muted">{{ group.empty }}</p>
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
