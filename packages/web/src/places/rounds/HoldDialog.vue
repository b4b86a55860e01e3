<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue'
import type { AlertView, HeldView, RemediationView } from '#contract'

/** A window for what an alert is about: its post, or its site where the site is silent as a whole. */
const props = defineProps<{ about: AlertView | HeldView | RemediationView }>()
const emit = defineEmits<{ close: [] }>()
const WindowDialog = defineAsyncComponent(() => import('../maintenance/draft/WindowDialog.vue'))
const begin = computed(() => {
  const { clientId, deviceId, watch, instance } = props.about
  if (deviceId !== null)
    return { clientId, deviceIds: [deviceId], subject: { of: 'posts' as const, posts: [{ deviceId, watch, instance }] } }
  return { clientId, ...('siteId' in props.about ? { siteId: props.about.siteId } : {}) }
})
</script>

<template>
  <WindowDialog :begin="begin" :devices-name="about.deviceName" @close="emit('close')" />
</template>
