<script setup lang="ts">
/** Every state has a shape of its own, so that it can be told without colour. */
defineProps<{ state: 'critical' | 'warning' | 'notice' | 'held' | 'silent' | 'settled' | null }>()
</script>

<template>
  <svg v-if="state" class="mark" viewBox="0 0 14 14" width="13" height="13" role="img" :aria-label="state">
    <path v-if="state === 'critical'" d="M7 .8 13.2 7 7 13.2 .8 7z" fill="var(--critical)" />
    <path v-else-if="state === 'warning'" d="M2 8.4a5 5 0 0 1 10 0zM1 10h12v1.6H1z" fill="var(--warning)" />
    <circle v-else-if="state === 'notice'" cx="7" cy="7" r="4.6" fill="none" stroke="var(--notice)" stroke-width="2" />
    <g v-else-if="state === 'held'" stroke="var(--held)" stroke-width="1.3" fill="none">
      <path d="M2 2h10v10H2z" />
      <path d="M2 8 8 2M2 12 12 2M6 12l6-6" />
    </g>
    <circle
      v-else-if="state === 'silent'"
      cx="7"
      cy="7"
      r="5"
      fill="none"
      stroke="var(--ink2)"
      stroke-width="1.4"
      stroke-dasharray="2.2 2"
    />
    <path v-else d="m2 7.5 3.5 3.5L12 4" fill="none" stroke="var(--settled)" stroke-width="1.8" />
  </svg>
  <span v-else class="mark" />
</template>

<style scoped>
.mark {
  display: inline-block;
  width: 13px;
  height: 13px;
  flex: none;
}
</style>
