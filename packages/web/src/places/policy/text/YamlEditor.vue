<script setup lang="ts">
import { yaml } from '@codemirror/lang-yaml'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { setDiagnostics } from '@codemirror/lint'
import { EditorView } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { basicSetup } from 'codemirror'
import { onBeforeUnmount, onMounted, useTemplateRef, watch } from 'vue'

/** YAML with its line numbers, folds and search; what is wrong is marked at its line. Tab leaves the field. */
const props = defineProps<{ label: string; faults: readonly { line: number; message: string }[] }>()
const text = defineModel<string>({ required: true })
const host = useTemplateRef<HTMLElement>('host')
let view: EditorView

const look = EditorView.theme({
  '&': { height: '100%', color: 'var(--ink)', backgroundColor: 'var(--field)' },
  '&.cm-focused': { outline: 'none' },
  '.cm-scroller': { font: '12.5px/18px var(--mono)' },
  '.cm-content': { caretColor: 'var(--ink)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-gutters': { backgroundColor: 'var(--field)', color: 'var(--ink3)', border: '0' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'var(--rule2)' },
  '&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: 'var(--act-soft)',
  },
  '.cm-panels': { backgroundColor: 'var(--sheet)', color: 'var(--ink)' },
  '.cm-tooltip': { backgroundColor: 'var(--sheet)', color: 'var(--ink)', border: '1px solid var(--rule)' },
})
const colours = HighlightStyle.define([
  { tag: tags.propertyName, color: 'var(--act)' },
  { tag: tags.comment, color: 'var(--ink3)', fontStyle: 'italic' },
  { tag: [tags.punctuation, tags.separator, tags.meta], color: 'var(--ink2)' },
])

function mark(): void {
  const { doc } = view.state
  const diagnostics = props.faults.map(({ line, message }) => {
    const { from, to } = doc.line(Math.min(Math.max(line, 1), doc.lines))
    return { from, to, severity: 'error' as const, message }
  })
  view.dispatch(setDiagnostics(view.state, diagnostics))
}
onMounted(() => {
  view = new EditorView({
    parent: host.value!,
    doc: text.value,
    extensions: [
      basicSetup,
      yaml(),
      look,
      syntaxHighlighting(colours),
      EditorView.contentAttributes.of({ 'aria-label': props.label, spellcheck: 'false', tabindex: '0' }),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) text.value = update.state.doc.toString()
      }),
    ],
  })
  mark()
})
watch(text, (wanted) => {
  // What came from the editor itself is there already.
  if (wanted !== view.state.doc.toString())
    view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: wanted } })
})
watch(() => props.faults, mark)
onBeforeUnmount(() => {
  view.destroy()
})
defineExpose({
  /** Puts the cursor on a line, counted from 1, and shows it. */
  goTo(line: number): void {
    const { from, to } = view.state.doc.line(Math.min(line, view.state.doc.lines))
    view.dispatch({ selection: { anchor: from, head: to }, effects: EditorView.scrollIntoView(from, { y: 'center' }) })
    view.focus()
  },
})
</script>

<template><div ref="host" class="editor" /></template>

<style scoped>
.editor {
  height: 100%;
}
</style>
