<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { computed, ref } from 'vue'
import { activeKeys, useKeys } from './keys'

const open = ref(false)
const groups = computed(() =>
  [...new Set(activeKeys.map((group) => group.place))]
    .reverse()
    .map((place) => ({ place, keys: activeKeys.filter((group) => group.place === place).flatMap((group) => group.keys) })),
)
useKeys('Everywhere', [
  {
    key: '?',
    does: 'this list',
    run: () => {
      open.value = true
    },
  },
])
</script>

<template>
  <ElDialog v-model="open" title="Keys" width="460">
    <section v-for="group in groups" :key="group.place">
      <h3>{{ group.place }}</h3>
      <p v-for="binding in group.keys" :key="binding.key"><kbd>{{ binding.key }}</kbd> {{ binding.does }}</p>
    </section>
  </ElDialog>
</template>

<style scoped>
section {
  margin-bottom: 12px;
}
p {
  padding: 2px 0;
}
kbd {
  display: inline-block;
  min-width: 26px;
  text-align: center;
  margin-right: 8px;
}
</style>
