<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { Found } from '#contract'
import { api } from '../data/api'
import { useKeys } from './keys'

const router = useRouter()
const input = ref<HTMLInputElement | null>(null)
const words = ref('')
const settled = refDebounced(words, 150)
const found = ref<Found[]>([])
/** The words that `found` answers: an answer to earlier words is neither shown as the last one nor gone to. */
const answered = ref('')
/** Enter was pressed before the answer came. */
const hurried = ref(false)
const chosen = ref(0)
const open = ref(false)
watch(settled, async (q) => {
  const answer = q.trim() ? await api.get<Found[]>(`/find?q=${encodeURIComponent(q.trim())}`).catch(() => []) : []
  if (settled.value !== q) return
  found.value = answer
  answered.value = q
  chosen.value = 0
  if (hurried.value && words.value === q) go(answer[0])
})
watch(words, () => {
  hurried.value = false
})
function go(hit: Found | undefined): void {
  hurried.value = false
  if (!hit) return
  void router.push(hit.path)
  words.value = ''
  open.value = false
  input.value?.blur()
}
function enter(): void {
  if (answered.value === words.value) go(found.value[chosen.value])
  else hurried.value = true
}
function move(by: number): void {
  chosen.value = Math.max(0, Math.min(found.value.length - 1, chosen.value + by))
}
useKeys('Everywhere', [{ key: '/', does: 'find', run: () => input.value?.focus() }])
</script>

<template>
  <div class="find" role="search">
    <input ref="input" v-model="words" placeholder="Find a device, alert, rule" aria-label="Find" @focus="open = true" @blur="open = false" @keydown.down.prevent="move(1)" @keydown.up.prevent="move(-1)" @keydown.enter="enter" @keydown.esc="input?.blur()" />
    <kbd v-if="!open">/</kbd>
    <ul v-if="open && words.trim()">
      <li v-for="(hit, i) in found" :key="hit.kind + hit.id" :class="{ on: i === chosen }" @mousedown.prevent="go(hit)"><b>{{ hit.title }}</b> <span class="muted">{{ hit.kind }} · {{ hit.context }}</span></li>
      <li v-if="!found.length && answered === words" class="muted">Nothing has “{{ words }}” in its name.</li>
    </ul>
  </div>
</template>

<style scoped>
.find {
  margin-left: auto;
  position: relative;
  width: 200px;
  border-bottom: 1px solid var(--rule);
  display: flex;
  align-items: center;
}
input {
  border: 0;
  background: none;
  font: inherit;
  color: var(--ink);
  width: 100%;
  padding: 2px 0;
}
input::placeholder {
  color: var(--ink3);
}
ul {
  position: absolute;
  top: 30px;
  right: 0;
  width: 420px;
  margin: 0;
  padding: 4px;
  list-style: none;
  background: var(--sheet);
  border: 1px solid var(--rule);
  z-index: 20;
  max-height: 400px;
  overflow: auto;
}
li {
  padding: 5px 8px;
  cursor: pointer;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
li.on,
li:hover {
  background: var(--act-soft);
}
</style>
