<script setup lang="ts">
import { ElEmpty } from 'element-plus/es/components/empty/index'
import 'element-plus/es/components/empty/style/css'
import { ElSkeleton } from 'element-plus/es/components/skeleton/index'
import 'element-plus/es/components/skeleton/style/css'
import 'element-plus/es/components/skeleton-item/style/css'
import type { ApiError } from '../data/api'

/** What stands in a place that has nothing to show: still loading, refused, or empty. */
defineProps<{ error: ApiError | null; loading: boolean; empty?: string }>()
defineEmits<{ again: [] }>()
</script>

<template>
  <p v-if="error" class="notice" role="alert"><b>{{ error.problem.title }}.</b> {{ error.message }}
    <button class="link" @click="$emit('again')">Try again</button></p>
  <div v-else-if="loading" class="notice late" aria-busy="true"><span class="visually-hidden">Loading…</span><ElSkeleton :rows="3" animated /></div>
  <ElEmpty v-else-if="empty" class="notice" :description="empty"><template #image><span /></template></ElEmpty>
</template>

<style scoped>
.notice {
  padding: 14px 0;
  animation: late 0.3s 0.25s both;
}
.late {
  max-width: 700px;
}
.el-empty {
  --el-empty-padding: 14px 0;
  --el-empty-description-margin-top: 0;
  --el-text-color-secondary: var(--ink2);
  align-items: flex-start;
}
.el-empty :deep(.el-empty__image) {
  display: none;
}
@keyframes late {
  from {
    opacity: 0;
  }
}
</style>
