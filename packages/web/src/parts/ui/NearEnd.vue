<script setup lang="ts">
import { useIntersectionObserver } from '@vueuse/core'
import { useTemplateRef } from 'vue'

/** The end of what was read of a list: asks for more when it comes near. */
defineProps<{ rest: number }>()
const emit = defineEmits<{ near: [] }>()
const place = useTemplateRef<HTMLElement>('place')
useIntersectionObserver(
  place,
  ([entry]) => {
    if (entry?.isIntersecting) emit('near')
  },
  { rootMargin: '600px' },
)
</script>

<template>
  <p ref="place"><button class="link" @click="emit('near')">{{ rest }} more</button></p>
</template>

<style scoped>
p {
  padding: 6px 0 10px;
}
</style>
