<script setup lang="ts">
import { ElPopover } from 'element-plus/es/components/popover/index'
import 'element-plus/es/components/popover/style/css'
import { ElProgress } from 'element-plus/es/components/progress/index'
import 'element-plus/es/components/progress/style/css'
import { useIntervalFn } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { WorkUnderWay } from '#contract'
import { api } from '../data/api'
import { useResource } from '../data/resource'

/** Long work, found again from anywhere: how far it has come, and where it stands. */
const { data, refresh } = useResource(() => api.get<WorkUnderWay[]>('/under-way'), {
  isNow: true,
  topics: ['estate', 'policy', 'windows'],
})
const works = computed(() => data.value ?? [])
const open = ref(false)
// Not every step is announced.
useIntervalFn(() => {
  if (works.value.length) void refresh()
}, 3000)
const words: Record<WorkUnderWay['kind'], (work: WorkUnderWay) => string> = {
  wave: ({ title, done, total }) => `${title}: ${done} of ${total} machines`,
  update: ({ title, done, total }) => `Agents to ${title}: ${done} of ${total} devices`,
  sweep: ({ title, done, total }) => `Sweep of ${title}: ${done} of ${total} addresses`,
  settling: ({ total }) => `${total} devices still follow a change of policy or maintenance`,
}
const paths: Record<WorkUnderWay['kind'], string | null> = {
  wave: '/rollout?part=waves&run=',
  update: '/rollout?part=versions&run=',
  sweep: '/rollout?part=sweep&run=',
  settling: null,
}
const keyOf = ({ kind, id }: WorkUnderWay) => `${kind} ${id}`
</script>

<template>
  <ElPopover v-if="works.length" v-model:visible="open" trigger="click" :width="340" placement="bottom-end" :show-arrow="false">
    <template #reference>
      <button class="link" aria-haspopup="dialog" :aria-expanded="open">{{ works.length }} under way</button>
    </template>
    <ul role="list">
      <li v-for="work in works" :key="keyOf(work)">
        <RouterLink v-if="paths[work.kind]" :to="`${paths[work.kind]}${work.id}`" @click="open = false">{{ words[work.kind](work) }}</RouterLink>
        <template v-else>{{ words[work.kind](work) }}</template>
        <span v-if="work.isPaused" class="warning"> paused</span>
        <ElProgress
          v-if="work.kind !== 'settling'"
          :percentage="Math.floor((100 * work.done) / Math.max(1, work.total))"
          :show-text="false"
          :stroke-width="5"
          :aria-label="words[work.kind](work)"
        />
      </li>
    </ul>
  </ElPopover>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 10px;
}
.link {
  white-space: nowrap;
}
</style>
