<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'
import { computed, ref } from 'vue'
import { activeKeys, useKeys } from './keys'

const open = ref(false)
const groups = computed(() =>
  [...new Set(activeKeys.map((one) => one.place))]
    .reverse()
    .map((place) => ({ place, keys: activeKeys.filter((one) => one.place === place).flatMap((one) => one.keys) })),
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
    <section v-for="group in groups" :key="group.place"><h3>{{ group.place }}</h3>
      <p v-for="one in group.keys" :key="one.key"><kbd>{{ one.key }}</kbd> {{ one.does }}</p>
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
