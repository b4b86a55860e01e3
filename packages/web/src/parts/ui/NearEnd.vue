<script setup lang="ts">
import { useIntersectionObserver } from '@vueuse/core'
import { useTemplateRef, watch } from 'vue'
import { numberText } from '#core'

/** The end of what was read of a list: asks for more when it comes near, and again while it stays so. */
const props = defineProps<{ rest: number }>()
const emit = defineEmits<{ near: [] }>()
const place = useTemplateRef<HTMLElement>('place')
const margin = 600
useIntersectionObserver(
  place,
  ([entry]) => {
    if (entry?.isIntersecting) emit('near')
  },
  { rootMargin: `${margin}px` },
)
// A part that came and did not fill the page moves the end too little for the browser to speak of it.
watch(
  () => props.rest,
  () => {
    const top = place.value?.getBoundingClientRect().top ?? Infinity
    if (top < window.innerHeight + margin) emit('near')
  },
  { flush: 'post' },
)
</script>

<template>
  <p ref="place"><button class="link" @click="emit('near')">{{ numberText(rest) }} more</button></p>
</template>

<style scoped>
p {
  padding: 6px 0 10px;
}
</style>
