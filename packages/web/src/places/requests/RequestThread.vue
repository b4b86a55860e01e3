<script setup lang="ts">
import type { RequestPage } from '#contract'
import { messageWords } from '../../parts/format/calloutWords'
import { happenedText, sizeText } from '../../parts/format/requestWords'
import { exactText, fullText } from '../../parts/format/time'

/** All that was written and done, in its order. Mails are shown as text: nothing in them is loaded or run. */
defineProps<{ request: RequestPage }>()
</script>

<template>
  <ol class="thread" aria-label="What was written and done">
    <li v-for="(entry, i) in request.entries" :key="i" :class="{ theirs: entry.mail, ours: entry.event === 'answered' }">
      <p><time class="faint" :title="exactText(entry.at, request.zone)">{{ fullText(entry.at) }}</time>
        {{ happenedText(entry) }}<template v-if="entry.until">, until {{ fullText(entry.until) }}</template><span v-if="entry.left">
          – <span :class="entry.left.state === 'failed' ? 'critical' : 'faint'">{{ messageWords[entry.left.state] }}<template v-if="entry.left.state === 'failed' || entry.left.state === 'waiting'"> ({{ entry.left.answer }})</template></span></span></p>
      <template v-if="entry.mail">
        <p v-if="entry.mail.subject && entry.mail.subject !== request.subject" class="faint">{{ entry.mail.subject }}</p>
        <div class="text">{{ entry.mail.text || 'There is no text in it.' }}</div>
        <p v-if="entry.mail.isCut" class="faint">It goes on; only its beginning is kept as text.</p>
        <p class="files">
          <a v-for="(file, n) in entry.mail.attachments" :key="n" :href="`/api/request-files/${entry.mail.id}?n=${n}`" download>{{ file.name }} <span class="faint">{{ sizeText(file.bytes) }}</span></a>
          <a class="faint" :href="`/api/request-files/${entry.mail.id}`" download>the mail as it came</a>
        </p>
      </template>
      <div v-else-if="entry.text" class="text">{{ entry.text }}</div>
    </li>
  </ol>
</template>

<style scoped>
.thread {
  list-style: none;
  margin: 16px 0 0;
  padding: 0;
  max-width: 760px;
}
li {
  border-top: 1px solid var(--rule);
  padding: 5px 0 7px;
}
.text {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-height: 420px;
  overflow: auto;
  margin: 2px 0;
}
.theirs .text {
  font: 16px/23px var(--serif);
}
.ours .text {
  border-left: 2px solid var(--act);
  padding-left: 10px;
}
.files {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
}
</style>
