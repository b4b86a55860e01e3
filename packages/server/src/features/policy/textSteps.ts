import { newAssignmentSchema, newExceptionSchema, newTemplateSchema } from '#contract'
import { fromDocument, stepFaults, type KnownEstate, type Policy, type PolicyStep, type References } from '#core'
import { readYaml, type TextFault } from './yaml'

const bodies = { template: newTemplateSchema, assignment: newAssignmentSchema, exception: newExceptionSchema }

/** What a field of a step is called in the text. */
function fieldInText(of: PolicyStep['of'], field: string): string {
  if (of === 'template') return ['name', 'includes'].includes(field) ? field : `watches.${field}`
  return field
    .replace(/^target/, of === 'assignment' ? 'to' : 'for')
    .replace(/^templateId/, 'template')
    .replace(/^reason/, 'why')
    .replace(/\.(\d+)(?=\.|$)/g, '')
}

/** Steps that a text stands for, with every fault at its line. */
export function stepsOfText(
  text: string,
  policy: Policy,
  refs: References,
  estate: KnownEstate,
  note: string,
): { steps: PolicyStep[]; faults: TextFault[] } {
  const { document, faults, lineOf } = readYaml(text)
  if (faults.length) return { steps: [], faults }
  const read = fromDocument(document, policy, refs, note)
  if (read.faults.length)
    return {
      steps: [],
      faults: read.faults.map(({ at, message }) => ({ line: lineOf(at), at: at.join('.'), message })),
    }
  const wrong = stepFaults(policy, read.steps, estate).map(({ at, message }): TextFault => {
    const [, n = '0', field = ''] = /^steps\.(\d+)\.?(.*)$/.exec(at) ?? []
    const step = read.steps[Number(n)]!
    const place = read.places[Number(n)]
    if (!place)
      return { line: 1, at: '', message: `What is not in the text any more would be removed, but: ${message}` }
    const named = fieldInText(step.of, field)
    return { line: lineOf(place, named), at: [...place, named].join('.'), message }
  })
  // What the steps say is right; now whether it is as long and as large as the forms allow.
  if (!wrong.length)
    read.steps.forEach((step, n) => {
      const place = read.places[n]
      const details =
        step.to && place
          ? (bodies[step.of].validate(step.to, { convert: false, abortEarly: false }).error?.details ?? [])
          : []
      for (const { path, message } of details) {
        // In the text watches stand under their keys, not in a list.
        const key = step.of === 'template' && path[0] === 'watches' ? step.to?.watches[Number(path[1])]?.key : undefined
        const field = (key === undefined ? path : ['watches', key, ...path.slice(2)])
          .join('.')
          .replace(/^description/, 'for')
          .replace(/^reason/, 'why')
        wrong.push({ line: lineOf(place!, field), at: [...place!, field].join('.'), message })
      }
    })
  return { steps: read.steps, faults: wrong.sort((a, b) => a.line - b.line) }
}
