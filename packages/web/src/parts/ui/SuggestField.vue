<script setup lang="ts" generic="Item">
import { ElAutocomplete, type AutocompleteInstance } from 'element-plus/es/components/autocomplete/index'
import 'element-plus/es/components/autocomplete/style/css'
import { nextTick, onMounted, ref, useTemplateRef } from 'vue'

/** A field that offers what fits the words typed into it. What was asked for older words is neither shown nor chosen. */
const props = defineProps<{
  label: string
  placeholder: string
  ask: (words: string) => Promise<Item[]>
  /** What is said where nothing fits. */
  none: (words: string) => string
}>()
const emit = defineEmits<{ choose: [item: Item] }>()
defineSlots<{ default(scope: { item: Item }): unknown }>()

interface Row {
  value: string
  item: Item | null
}
const words = ref('')
const field = useTemplateRef<AutocompleteInstance>('field')
let turn = 0
/** The words that what is shown answers. */
let answered = ''
/** Enter was pressed before the answer to these words came. */
let hurried: string | null = null

async function suggest(asked: string, offer: (rows: Row[]) => void): Promise<void> {
  const mine = ++turn
  if (hurried !== asked) hurried = null
  const text = asked.trim()
  const found = text ? await props.ask(text).catch(() => []) : []
  if (mine !== turn) return
  answered = asked
  const rows = found.map((item) => ({ value: asked, item }))
  offer(rows.length || !text ? rows : [{ value: asked, item: null }])
  setTimeout(nameList, 50)
  if (hurried === asked && words.value === asked && found.length) choose(found[0]!)
}
function choose(item: Item): void {
  hurried = null
  turn++
  words.value = ''
  field.value?.close()
  emit('choose', item)
}
/** The row of a choice puts its value into the field; ours empties it once it has, or puts the newer words back. */
async function take({ item, value }: Row): Promise<void> {
  await nextTick()
  if (hurried !== null) words.value = hurried
  else if (item) choose(item)
  else words.value = value
}
/** Before the field itself hears of it: what is marked then may answer older words, and is not meant. */
function enter(): void {
  hurried = words.value === answered ? null : words.value
}
/** The field names the list that it opens also while there is none, which tells a screen reader of nothing. */
const host = useTemplateRef<HTMLElement>('host')
let listId: string | null = null
function nameList(): void {
  const input = host.value?.querySelector('input')
  const marked = input?.getAttribute('aria-activedescendant')
  if (marked && !document.getElementById(marked)) input?.removeAttribute('aria-activedescendant')
  listId ??= input?.getAttribute('aria-controls') ?? null
  if (!input || !listId) return
  if (document.getElementById(listId)) input.setAttribute('aria-controls', listId)
  else input.removeAttribute('aria-controls')
}
onMounted(nameList)
defineExpose({
  focus: () => field.value?.focus(),
  blur: () => field.value?.blur(),
  clear: () => {
    turn++
    words.value = ''
    field.value?.close()
  },
})
</script>

<template>
  <span ref="host" class="suggest"><ElAutocomplete
    ref="field"
    v-model="words"
    class="field"
    popper-class="suggestions"
    placement="bottom-start"
    :fetch-suggestions="(asked: string, offer: (rows: Row[]) => void) => void suggest(asked, offer)"
    :debounce="150"
    :trigger-on-focus="false"
    highlight-first-item
    :aria-label="label"
    :placeholder="placeholder"
    spellcheck="false"
    autocomplete="off"
    @select="(row: Record<string, unknown>) => void take(row as unknown as Row)"
    @keydown.enter.capture="enter"
    @keydown.esc="field?.blur()"
  >
    <template #default="{ item: row }">
      <slot v-if="(row as Row).item" :item="(row as Row).item!" />
      <span v-else class="muted">{{ none((row as Row).value) }}</span>
    </template>
  </ElAutocomplete></span>
</template>

<style scoped>
.suggest {
  display: inline-block;
}
.field {
  width: 100%;
}
</style>
