<script setup lang="ts">
import type { WindowPage } from '#contract'
import { repeatWords } from '#core'
import { exactText, fullText, lengthText } from '../../../parts/format/time'

/** How a window was changed, the newest first. */
defineProps<{ window: WindowPage }>()
</script>

<template>
  <h2>Changes</h2>
  <ol class="revisions">
    <li v-for="revision in window.revisions" :key="revision.revision">
      <span class="faint">{{ revision.revision }}</span>
      <span :title="exactText(revision.savedAt)">{{ fullText(revision.savedAt) }}</span> {{ revision.savedBy }}
      <span class="muted">{{ revision.starts.replace('T', ' ').slice(0, 16) }}, {{ revision.length === null ? 'no end' : lengthText(revision.length) }}<template v-if="revision.rule">, {{ repeatWords(revision.rule) }}</template><template v-if="revision.endedAt">, ended</template></span>
      <b v-if="revision.why"> {{ revision.why }}</b>
    </li>
  </ol>
</template>

<style scoped>
h2 {
  margin: 18px 0 4px;
}
.revisions {
  list-style: none;
  margin: 0;
  padding: 0;
}
.revisions > li > :first-child {
  display: inline-block;
  width: 24px;
}
</style>
