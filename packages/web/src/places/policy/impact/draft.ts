import { computed, ref, type ComputedRef, type Ref } from 'vue'
import type { TemplatePage } from '#contract'
import {
  rebaseTemplate,
  templateChanges,
  watchKind,
  type ParameterValue,
  type PolicyStep,
  type TemplateBody,
  type Values,
  type WatchSpec,
} from '#core'

const copy = <T>(of: T): T => JSON.parse(JSON.stringify(of)) as T
export const bodyOf = ({ name, description, includes, watches }: TemplateBody): TemplateBody =>
  copy({ name, description, includes, watches })
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)

/** All values of a watch as its template alone would have them. */
export function valuesOf(spec: WatchSpec): Values {
  return {
    ...Object.fromEntries(watchKind(spec.kind).parameters.map((parameter) => [parameter.name, parameter.default])),
    ...spec.values,
  }
}

/** A key for a new watch that no other has. */
export function freshKey(kind: string, taken: readonly string[]): string {
  for (let n = 1; ; n++) {
    const key = n === 1 ? kind : `${kind}.${n}`
    if (!taken.includes(key)) return key
  }
}

export interface Draft {
  /** The revision that the edit began from. */
  base: Ref<TemplatePage | null>
  body: Ref<TemplateBody | null>
  dirty: ComputedRef<boolean>
  steps: ComputedRef<PolicyStep[] | null>
  note: Ref<string>
  begin(page: TemplatePage): void
  setValue(key: string, name: string, value: ParameterValue): void
  leaveOpen(key: string, name: string): void
  change(key: string, fields: Partial<WatchSpec>): void
  add(kind: string): string
  remove(key: string): void
  move(key: string, by: 1 | -1): void
  /** Puts the edit on top of a newer revision; what both changed, in words. */
  rebase(onto: TemplatePage): string[]
}

/** A template while it is edited: everything of it, until it is saved or let go. */
export function useDraft(templateName: (id: number) => string): Draft & { words: ComputedRef<string[]> } {
  const base = ref<TemplatePage | null>(null)
  const body = ref<TemplateBody | null>(null)
  const note = ref('')
  const dirty = computed(() => base.value !== null && body.value !== null && !same(body.value, bodyOf(base.value)))
  const put = (watches: WatchSpec[]) => {
    body.value = { ...body.value!, watches }
  }
  const changeWatch = (key: string, to: (watch: WatchSpec) => WatchSpec) => {
    put(body.value!.watches.map((watch) => (watch.key === key ? to(watch) : watch)))
  }
  return {
    base,
    body,
    note,
    dirty,
    steps: computed(() =>
      dirty.value
        ? [{ of: 'template', id: base.value!.id, basedOn: base.value!.revision, note: note.value, to: body.value! }]
        : null,
    ),
    words: computed(() => (dirty.value ? templateChanges(base.value!, body.value!, templateName) : [])),
    begin(page) {
      base.value = page
      body.value = bodyOf(page)
      note.value = ''
    },
    setValue(key, name, value) {
      changeWatch(key, (watch) => ({ ...watch, values: { ...watch.values, [name]: value } }))
    },
    leaveOpen(key, name) {
      changeWatch(key, (watch) => {
        const { [name]: _open, ...values } = watch.values
        return { ...watch, values }
      })
    },
    change(key, fields) {
      changeWatch(key, (watch) => ({ ...watch, ...fields }))
    },
    add(kind) {
      const key = freshKey(
        kind,
        body.value!.watches.map((watch) => watch.key),
      )
      put([...body.value!.watches, { key, kind, name: watchKind(kind).title, why: '', osFamilies: [], values: {} }])
      return key
    },
    remove(key) {
      put(body.value!.watches.filter((watch) => watch.key !== key))
    },
    move(key, by) {
      const watches = [...body.value!.watches]
      const from = watches.findIndex((watch) => watch.key === key)
      const to = from + by
      if (from < 0 || to < 0 || to >= watches.length) return
      watches.splice(to, 0, ...watches.splice(from, 1))
      put(watches)
    },
    rebase(onto) {
      const { body: merged, clashes } = rebaseTemplate(bodyOf(base.value!), body.value!, bodyOf(onto))
      base.value = onto
      body.value = merged
      return clashes
    },
  }
}
