import { sameData } from '../same'
import { valueText, watchKinds, type Values } from '../watch'
import type { TemplateBody, WatchSpec } from './template'

const systems = (watch: WatchSpec) =>
  watch.osFamilies.length
    ? `only on ${watch.osFamilies.map((family) => (family === 'linux' ? 'Linux' : 'Windows')).join(' and ')}`
    : 'on every system'

/** Names and values of what is set, in the order of the kind’s parameters: “Hold 5 min, Severity critical”. */
export function valuesText(kindName: string, values: Values): string {
  const parameters = watchKinds.get(kindName)?.parameters ?? []
  const unknown = Object.keys(values).filter((name) => !parameters.some((parameter) => parameter.name === name))
  return [
    ...parameters.flatMap((parameter) =>
      values[parameter.name] === undefined
        ? []
        : [`${parameter.label} ${valueText(parameter, values[parameter.name]!)}`],
    ),
    ...unknown,
  ].join(', ')
}

function watchWords(before: WatchSpec, after: WatchSpec): string[] {
  const kind = watchKinds.get(after.kind)
  if (before.kind !== after.kind) return [`is another kind of watch now: ${kind?.title ?? after.kind}`]
  const names = (kind?.parameters ?? [])
    .map((parameter) => parameter.name)
    .filter((name) => !sameData(before.values[name], after.values[name]))
  return [
    ...(before.name === after.name ? [] : [`is called “${after.name}” now`]),
    ...names.map((name) => {
      const parameter = kind!.parameters.find((parameter) => parameter.name === name)!
      const text = (values: Values) =>
        values[name] === undefined
          ? `default (${valueText(parameter, parameter.default)})`
          : valueText(parameter, values[name])
      return `${parameter.label} ${text(before.values)} → ${text(after.values)}`
    }),
    ...(sameData(before.osFamilies, after.osFamilies) ? [] : [`${systems(before)} → ${systems(after)}`]),
    ...(before.why === after.why ? [] : ['explained anew']),
  ]
}

/**
 * What changed from one revision of a template to another, a line a thing.
 * @param templateName what an included template is called
 */
export function templateChanges(
  before: TemplateBody,
  after: TemplateBody,
  templateName: (id: number) => string,
): string[] {
  const lines: string[] = []
  if (before.name !== after.name) lines.push(`renamed from “${before.name}” to “${after.name}”`)
  if (before.description !== after.description) lines.push('described anew')
  const included = (id: number) => `“${templateName(id)}”`
  for (const id of after.includes) if (!before.includes.includes(id)) lines.push(`includes ${included(id)} now`)
  for (const id of before.includes) if (!after.includes.includes(id)) lines.push(`no longer includes ${included(id)}`)
  for (const watch of after.watches) {
    const was = before.watches.find((spec) => spec.key === watch.key)
    if (!was) lines.push(`${watch.name}: added`)
    else {
      const words = watchWords(was, watch)
      if (words.length) lines.push(`${was.name}: ${words.join('; ')}`)
    }
  }
  for (const watch of before.watches)
    if (!after.watches.some((spec) => spec.key === watch.key)) lines.push(`${watch.name}: removed`)
  const order = (watches: readonly WatchSpec[]) => watches.map((watch) => watch.key)
  if (!lines.length && !sameData(order(before.watches), order(after.watches))) lines.push('put in another order')
  return lines
}

export interface WatchPair {
  key: string
  a: WatchSpec | null
  b: WatchSpec | null
  /** Parameters that are not set alike. */ differs: string[]
}

/** Two templates side by side, watches of the same key beside each other; those of `a` first, in its order. */
export function templatesBeside(a: TemplateBody, b: TemplateBody): WatchPair[] {
  const keys = [...new Set([...a.watches, ...b.watches].map((watch) => watch.key))]
  return keys.map((key) => {
    const [left, right] = [a, b].map((template) => template.watches.find((watch) => watch.key === key) ?? null) as [
      WatchSpec | null,
      WatchSpec | null,
    ]
    const names = (watchKinds.get((left ?? right)!.kind)?.parameters ?? [])
      .map((parameter) => parameter.name)
      .filter((name) => left?.values[name] !== undefined || right?.values[name] !== undefined)
    return {
      key,
      a: left,
      b: right,
      differs: left && right ? names.filter((name) => !sameData(left.values[name], right.values[name])) : names,
    }
  })
}
