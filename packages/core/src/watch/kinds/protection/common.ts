import { read } from '../../kind'
import type { Parameter, Values } from '../../parameter'
import { sentence, type Say, type SentencePart } from '../../sentence'

export const severity = { type: 'choice', choices: ['notice', 'warning', 'critical', 'nothing'] } as const

export const namesLeftOut = (label: string, names: string[] = []): Parameter => ({
  name: 'except',
  type: 'patterns',
  label,
  default: names,
  adds: true,
  explains: 'These stay out even when the first list names them.',
})

/** Which ones a watch is about, in its sentence: `all` of a word, or those with some names. */
export function namedOf(say: Say, values: Values, parameter: string, all: string, word: string): SentencePart[] {
  const names = read.list(values, parameter)
  const isEvery = names.length === 1 && names[0] === '*'
  const which = isEvery ? sentence`${say(parameter, all)} ${word}` : sentence`the ${word} ${say(parameter)}`
  return [...which, ...(read.list(values, 'except').length ? sentence` except ${say('except')}` : [])]
}
