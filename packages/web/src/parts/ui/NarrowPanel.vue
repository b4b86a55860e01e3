<script setup lang="ts">
import { ElDrawer } from 'element-plus/es/components/drawer/index'
import 'element-plus/es/components/drawer/style/css'

/** What stands beside a list where there is room for it: on a narrow page it is drawn over it. */
defineProps<{ title: string }>()
const emit = defineEmits<{ close: [] }>()
defineSlots<{ default(): unknown }>()
</script>

<template>
  <ElDrawer
    :model-value="true"
    :title="title"
    :modal="false"
    size="100%"
    body-class="narrow-panel"
    append-to-body
    @close="emit('close')"
  >
    <slot />
  </ElDrawer>
</template>
