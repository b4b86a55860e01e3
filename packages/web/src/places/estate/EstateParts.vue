<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import PartTabs from '../../parts/ui/PartTabs.vue'

/** The ways to look at all devices. */
const route = useRoute()
const router = useRouter()
const tabs = [
  { name: '/estate', title: 'Board' },
  { name: '/estate/series', title: 'By series' },
  { name: '/estate/services', title: 'Services' },
  { name: '/estate/filling', title: 'Disks that fill' },
  { name: '/estate/updates', title: 'Updates' },
  { name: '/estate/reach', title: 'Reachability' },
  { name: '/estate/log', title: 'Log' },
]
const part = computed({
  get: () => route.path,
  set: (path: string) => void router.push({ path, query: route.query.client ? { client: route.query.client } : {} }),
})
</script>

<template>
  <PartTabs v-model="part" label="Ways to look at the estate" :tabs="tabs" />
</template>
