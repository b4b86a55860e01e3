<script setup lang="ts">
import { ElDialog } from 'element-plus/es/components/dialog/index'
import 'element-plus/es/components/dialog/style/css'

/** A link that is to be handed over by other means, shown once. */
defineProps<{ name: string; link: string; answer: string }>()
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <ElDialog :model-value="true" title="Hand the link over" width="600" append-to-body @close="emit('close')">
    <p>No mail could leave: {{ answer }} Give {{ name }} this link yourself. It works once, for some days at most, and is not shown again.</p>
    <p class="mono link-text">{{ link }}</p>
    <button class="btn main" @click="emit('close')">Done</button>
  </ElDialog>
</template>

<style scoped>
.link-text {
  margin: 10px 0;
  padding: 8px 10px;
  background: var(--sheet);
  border: 1px solid var(--rule);
  overflow-wrap: anywhere;
  user-select: all;
}
</style>
