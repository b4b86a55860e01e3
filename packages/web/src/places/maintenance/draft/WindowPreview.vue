<script setup lang="ts">
import { computed, ref } from 'vue'
import type { NewWindow, WindowPosts, WindowPreview } from '#contract'
import { countText, durationText, numberText, type ClockEffect } from '#core'
import { api } from '../../../parts/data/api'
import { here, zonedText } from '../../../parts/format/time'

/** What a window would do, beside the sentence that says it: its times, what they meet, what they hold. */
const props = defineProps<{
  preview: WindowPreview | null
  posts: WindowPosts | null
  /** Why it cannot be told. */
  problem: string
  window: NewWindow
}>()
const clockWords: Record<ClockEffect['effect'], (effect: ClockEffect) => string> = {
  skipped: ({ by }) => `the clocks skip the time that it begins at, so it begins ${durationText(by)} later`,
  twice: ({ by }) => `the clocks show its beginning twice within ${durationText(by)}; it begins the first time, once`,
  forward: ({ by }) =>
    `the clocks go forward while it lasts: it is as long as ever, and ends ${durationText(by)} later on them`,
  back: ({ by }) =>
    `the clocks go back while it lasts: it is as long as ever, and ends ${durationText(by)} earlier on them`,
}
const zone = computed(() => props.preview?.zone ?? 'UTC')
/** Where one's own clocks show something else. */
const mine = (at: number) => (zonedText(at, here) === zonedText(at, zone.value) ? '' : `${zonedText(at, here)} here`)
const listing = ref(false)
const more = ref<WindowPosts['posts']>([])
const next = ref<number | null>(null)
const listed = computed(() => [...(props.posts?.posts ?? []), ...more.value])
function show(): void {
  listing.value = !listing.value
  more.value = []
  next.value = props.posts?.next ?? null
}
async function readMore(): Promise<void> {
  const { target, subject } = props.window
  const part = await api.post<WindowPosts>('/windows/posts', { target, subject, after: next.value })
  more.value = [...more.value, ...part.posts]
  next.value = part.next
}
</script>

<template>
  <aside class="preview" aria-live="polite">
    <p v-if="problem" class="critical">{{ problem }}</p>
    <template v-else-if="preview">
      <h3>{{ countText(preview.devices, 'device') }}<template v-if="preview.clients > 1"> of {{ countText(preview.clients, 'client') }}</template></h3>
      <p v-if="posts"><b>{{ countText(posts.total, 'post') }}</b> held
        <button
          v-if="posts.total"
          type="button"
          class="link"
          :aria-expanded="listing"
          @click="show"
        >{{ listing ? 'hide them' : 'which?' }}</button>
      </p>
      <p v-else class="faint">Counting posts…</p>
      <ul v-if="listing && posts" class="posts">
        <li v-for="post in listed" :key="`${post.deviceId} ${post.watch} ${post.instance}`">
          <RouterLink
            class="mono"
            :to="`/estate/${post.deviceId}?part=roster`"
            target="_blank"
          >{{ post.deviceName }}</RouterLink>
          {{ post.watchName }}<span v-if="post.instance" class="mono"> {{ post.instance }}</span>
        </li>
        <li v-if="next !== null"><button
          type="button"
          class="link"
          @click="readMore"
        >{{ numberText(posts.total - listed.length) }} more</button></li>
      </ul>
      <p v-if="preview.failing || preview.open">If it were in force now: {{ countText(preview.failing, 'failing post') }}
        held; {{ countText(preview.open, 'open alert') }} would stay open.</p>
      <p v-else class="muted">Nothing in its reach fails now.</p>
      <h3>{{ window.rule ? 'Next five times' : 'When' }}</h3>
      <p v-if="!preview.next.length" class="warning">It does not come any more.</p>
      <ol class="next">
        <li v-for="occurrence in preview.next" :key="occurrence.start">
          {{ zonedText(occurrence.from, zone) }}<template v-if="occurrence.until"> – {{ zonedText(occurrence.until, zone) }}</template><template v-else>, no end</template>
          <span v-if="mine(occurrence.from)" class="mine">{{ mine(occurrence.from) }}</span>
        </li>
      </ol>
      <p class="faint">On the clocks of {{ zone }}<template v-if="preview.zones.length > 1">; its sites also have {{ preview.zones.filter((each) => each !== zone).join(', ') }}</template>.</p>
      <template v-if="preview.clock.length">
        <h3>When the clocks change</h3>
        <p
          v-for="effect in preview.clock"
          :key="effect.occurrence.start"
        >{{ zonedText(effect.occurrence.from, zone) }}: {{ clockWords[effect.effect](effect) }}.</p>
      </template>
      <template v-if="preview.overlaps.length">
        <h3>Meets</h3>
        <p v-for="other in preview.overlaps" :key="other.id">
          <RouterLink :to="`/maintenance/${other.id}`" target="_blank">{{ other.name }}</RouterLink>
          <span class="muted"> {{ zonedText(other.from, zone) }}, on {{ countText(other.devices, 'device') }}</span>
        </p>
        <p v-if="preview.moreOverlaps" class="muted">and {{ numberText(preview.moreOverlaps) }} more</p>
      </template>
    </template>
    <p v-else class="faint">Working out…</p>
  </aside>
</template>

<style scoped>
.preview {
  font-size: 13.5px;
  line-height: 19px;
  border-left: 1px solid var(--rule);
  padding-left: 18px;
  min-width: 0;
}
h3 {
  margin: 10px 0 2px;
}
h3:first-child {
  margin-top: 0;
}
.posts,
.next {
  list-style: none;
  margin: 4px 0;
  padding: 0;
}
.posts {
  max-height: 150px;
  overflow: auto;
}
.mine {
  display: block;
  color: var(--ink3);
}
</style>
