import type { Parameter, Values } from '../../parameter'
import { sayer, sentence, type SentencePart } from '../../sentence'
import { asksDays, clearedBy, isAsked, levels, limitsOf, type Level } from './levels'
import { disksSentence } from './which'

const joined = (parts: readonly SentencePart[][], word: string): SentencePart[] =>
  parts.flatMap((part, i) => (i === 0 ? part : [{ text: ` ${word} ` }, ...part]))

/**
 * The rule as a sentence: *On every fixed disk, when free space is below 10 % and below 20 GB for 15 min, raise
 * warning; below 5 % and below 10 GB, critical; clear above 12 % or 24 GB for 5 min.*
 */
export function spaceSentence(parameters: readonly Parameter[], values: Values): SentencePart[] {
  const say = sayer(parameters, values)
  const threshold = (level: Level, isFirst: boolean): SentencePart[] => {
    const { percent, bytes, left } = limitsOf(values, level)
    const sizes = [
      ...(percent === null ? [] : [[say(`${level}.percent`)]]),
      ...(bytes === null ? [] : [percent === null ? [say(`${level}.bytes`)] : sentence`below ${say(`${level}.bytes`)}`]),
    ]
    const begins = isFirst ? 'free space is ' : ''
    return joined(
      [
        ...(sizes.length ? [sentence`${begins}below ${joined(sizes, 'and')}`] : []),
        ...(left === null ? [] : [sentence`${isFirst ? 'it is going to be ' : ''}full within ${say(`${level}.left`)}`]),
      ],
      'and',
    )
  }
  const lasts = asksDays(values) ? sentence`, for at least ${say('hold')}, raise ` : sentence` for ${say('hold')}, raise `
  const raise = levels
    .filter((level) => isAsked(values, level))
    .flatMap((level, i) => [
      ...(i === 0 ? sentence`when ` : sentence`; `),
      ...threshold(level, i === 0),
      ...(i === 0 ? sentence`${lasts}${level}` : sentence`, ${level}`),
    ])
  const by = clearedBy(values)
  const above = by.filter((measure) => measure !== 'left').map((measure) => [say(`clear.${measure}`)])
  const clear = joined(
    [
      ...(above.length ? [sentence`above ${joined(above, 'or')}`] : []),
      ...(by.includes('left') ? [sentence`when not full within ${say('clear.left')}`] : []),
    ],
    'or',
  )
  const end = clear.length ? sentence`${clear} for ${say('clear.hold')}` : sentence`after ${say('clear.hold')} well`
  const isOff = raise.length === 0
  return sentence`On ${disksSentence(say, values)}, ${isOff ? [{ text: 'nothing is asked' }] : sentence`${raise}; clear ${end}`}.`
}
