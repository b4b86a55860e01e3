<script setup lang="ts">
import { ElPopover } from 'element-plus/es/components/popover/index'
import 'element-plus/es/components/popover/style/css'

/** What edits a part of a sentence, below that part. */
withDefaults(defineProps<{ at: HTMLElement; width?: number }>(), { width: 330 })
defineSlots<{ default(): unknown }>()
</script>

<template>
  <ElPopover
    :visible="true"
    virtual-triggering
    :virtual-ref="at"
    :width="width"
    placement="bottom-start"
    :show-arrow="false"
  >
    <slot />
  </ElPopover>
</template>
