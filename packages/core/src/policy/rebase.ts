import { sameData } from '../same'
import { valueText, watchKinds, type ParameterValue, type Values } from '../watch'
import type { TemplateBody, WatchSpec } from './template'

export interface Rebased {
  body: TemplateBody
  /** Where both changed the same thing differently: mine is taken, and said. */ clashes: string[]
}

/** Of three: what only one side changed is that side's; what both changed is mine, and a clash where they differ. */
function choose<T>(base: T, mine: T, theirs: T, clash: () => void): T {
  if (sameData(base, mine)) return theirs
  if (!sameData(base, theirs) && !sameData(mine, theirs)) clash()
  return mine
}

function rebaseValues(kind: string, base: Values, mine: Values, theirs: Values, clash: (text: string) => void): Values {
  const parameters = watchKinds.get(kind)?.parameters ?? []
  const values: Record<string, ParameterValue> = {}
  for (const name of new Set([...Object.keys(theirs), ...Object.keys(mine)])) {
    const value = choose(base[name], mine[name], theirs[name], () => {
      const parameter = parameters.find((parameter) => parameter.name === name)
      const text = (value: ParameterValue | undefined) =>
        value === undefined ? 'the default' : parameter ? valueText(parameter, value) : String(value)
      clash(`${parameter?.label ?? name}: you ${text(mine[name])}, they ${text(theirs[name])}`)
    })
    if (value !== undefined) values[name] = value
  }
  return values
}

function rebaseWatch(base: WatchSpec, mine: WatchSpec, theirs: WatchSpec, clash: (text: string) => void): WatchSpec {
  const field = <K extends 'name' | 'why' | 'osFamilies'>(name: K) =>
    choose(base[name], mine[name], theirs[name], () => {
      clash({ name: 'its name', why: 'its explanation', osFamilies: 'its systems' }[name])
    })
  if (mine.kind !== theirs.kind) return sameData(base, mine) ? theirs : mine
  return {
    key: mine.key,
    kind: mine.kind,
    name: field('name'),
    why: field('why'),
    osFamilies: field('osFamilies'),
    values: rebaseValues(mine.kind, base.values, mine.values, theirs.values, clash),
  }
}

/**
 * Puts what I changed since `base` on top of what others saved meanwhile: watch by watch, value by value. Nothing of
 * theirs is lost but where both changed the same thing.
 */
export function rebaseTemplate(base: TemplateBody, mine: TemplateBody, theirs: TemplateBody): Rebased {
  const clashes: string[] = []
  const of = (body: TemplateBody, key: string) => body.watches.find((watch) => watch.key === key)
  const watches: WatchSpec[] = []
  for (const key of new Set([...theirs.watches, ...mine.watches].map((watch) => watch.key))) {
    const [was, my, their] = [of(base, key), of(mine, key), of(theirs, key)]
    const clash = (text: string) => clashes.push(`${(my ?? their)!.name}: ${text}`)
    if (my && their)
      watches.push(was ? rebaseWatch(was, my, their, clash) : choose<WatchSpec>(their, my, their, () => undefined))
    else if (my && !was) watches.push(my)
    else if (their && !was) watches.push(their)
    else if (my && !sameData(was, my)) {
      clash('you changed it, they took it away; it stays')
      watches.push(my)
    } else if (their && !sameData(was, their)) {
      clash('you took it away, they changed it; it stays')
      watches.push(their)
    }
  }
  return {
    body: {
      name: choose(base.name, mine.name, theirs.name, () => clashes.push('the template’s name')),
      description: choose(base.description, mine.description, theirs.description, () =>
        clashes.push('the template’s description'),
      ),
      includes: choose(base.includes, mine.includes, theirs.includes, () => clashes.push('what the template includes')),
      watches,
    },
    clashes,
  }
}
