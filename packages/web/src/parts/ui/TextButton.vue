<script setup lang="ts">
/** A text of a row, of up to three lines, that opens what it is about. */
defineSlots<{ default(): unknown }>()
</script>

<template>
  <button class="text"><slot /></button>
</template>

<style scoped>
.text {
  border: 0;
  background: none;
  padding: 0;
  color: inherit;
  font-size: inherit;
  line-height: inherit;
  text-align: left;
  cursor: pointer;
  overflow-wrap: anywhere;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 3;
  overflow: hidden;
  white-space: pre-line;
}
.text:not(.mono) {
  font-family: inherit;
}
.text:hover {
  color: var(--act);
}
</style>
