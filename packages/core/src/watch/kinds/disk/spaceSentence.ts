import type { Parameter, Values } from '../../parameter'
import { sayer, sentence, type SentencePart } from '../../sentence'
import { askedOf, levels, type Level } from './levels'
import { disksSentence } from './which'

const joined = (parts: readonly SentencePart[][], word: string): SentencePart[] =>
  parts.flatMap((part, i) => (i === 0 ? part : [{ text: `${word.startsWith(',') ? '' : ' '}${word} ` }, ...part]))

/**
 * The rule as a sentence: *On every fixed disk, when free space is below 10 % and below 20 GB for 15 min, raise
 * warning; below 5 % and below 10 GB, critical; clear above 12 % or 24 GB for 5 min.*
 */
export function spaceSentence(parameters: readonly Parameter[], values: Values): SentencePart[] {
  const say = sayer(parameters, values)
  const asked = askedOf(values)
  const full = (name: string, isFirst: boolean) =>
    sentence`${isFirst ? 'it is going to be ' : ''}full within ${say(name)}`
  const threshold = (level: Level, isFirst: boolean): SentencePart[] => {
    const { percent, bytes, left, soon } = asked[level]
    const sizes = [
      ...(percent === null ? [] : [[say(`${level}.percent`)]]),
      ...(bytes === null
        ? []
        : [percent === null ? [say(`${level}.bytes`)] : sentence`below ${say(`${level}.bytes`)}`]),
    ]
    const all = joined(
      [
        ...(sizes.length ? [sentence`${isFirst ? 'free space is ' : ''}below ${joined(sizes, 'and')}`] : []),
        ...(left === null ? [] : [full(`${level}.left`, isFirst)]),
      ],
      'and',
    )
    return joined([...(all.length ? [all] : []), ...(soon === null ? [] : [full(`${level}.soon`, isFirst)])], ', or')
  }
  const lasts = asked.asksDays ? sentence`, for at least ${say('hold')}, raise ` : sentence` for ${say('hold')}, raise `
  const raise = levels
    .filter((level) => asked[level].isAsked || asked[level].soon !== null)
    .flatMap((level, i) => [
      ...(i === 0 ? sentence`when ` : sentence`; `),
      ...threshold(level, i === 0),
      ...(i === 0 ? sentence`${lasts}${level}` : sentence`, ${level}`),
    ])
  if (!raise.length) return sentence`On ${disksSentence(say, values)}, nothing is asked.`
  const by = asked.clearedBy
  const above = by.filter((measure) => measure !== 'left').map((measure) => [say(`clear.${measure}`)])
  const far = sentence`when not full within ${say('clear.left')}`
  const isSoon = asked.isSoonUsed && asked.clear.left !== null
  const clear = joined(
    [
      ...(above.length ? [sentence`above ${joined(above, 'or')}`] : []),
      ...(by.includes('left') || (isSoon && !above.length) ? [far] : []),
    ],
    'or',
  )
  const also = isSoon && above.length ? sentence` and ${far}` : []
  const end = clear.length
    ? sentence`${clear}${also} for ${say('clear.hold')}`
    : sentence`after ${say('clear.hold')} well`
  return sentence`On ${disksSentence(say, values)}, ${raise}; clear ${end}.`
}
