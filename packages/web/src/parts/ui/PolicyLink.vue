<script setup lang="ts">
import { useSession } from '../data/session'

/** To a template, for those who may see policy; for others its name. */
defineProps<{ templateId: number }>()
const session = useSession()
</script>

<template>
  <RouterLink v-if="session.mayChange" :to="`/policy/${templateId}`"><slot /></RouterLink>
  <slot v-else />
</template>
