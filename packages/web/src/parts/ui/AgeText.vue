<script setup lang="ts">
import type { Millis } from '#core'
import { age, exactText } from '../format/time'

defineProps<{ at: Millis; zone?: string }>()
</script>

<template><time :datetime="new Date(at).toISOString()" :title="exactText(at, zone)">{{ age(at) }}</time></template>
