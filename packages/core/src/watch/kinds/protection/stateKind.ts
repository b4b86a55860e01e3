import type { Protection } from '../../../estate'
import { chosen } from '../../../text'
import { day, type Millis } from '../../../units'
import { read, type Observation, type WatchKind } from '../../kind'
import type { Parameter } from '../../parameter'
import { sayer, sentence } from '../../sentence'
import { namedOf, namesLeftOut, severity } from './common'

/** One of several things that are as they should be, or not. */
export interface Guard {
  name: string
  /** null: nobody can say. */
  isRight: boolean | null
  text: string
  trouble?: string | undefined
}

export interface GuardWords {
  name: string
  title: string
  /** One of them, in a sentence, and when it is a trouble. */
  one: string
  when: string
  /** How the list of names is called, and what it says about itself. */
  label: string
  explains: string
  except: string[]
  severity: 'notice' | 'warning' | 'critical'
  why: string
  hold: Millis
  holdWhy: string
  of(protection: Protection): Guard[]
}

/** A kind of watch that asks one thing of each of several. */
export function guardKind(words: GuardWords): WatchKind {
  const parameters: readonly Parameter[] = [
    { name: 'which', type: 'patterns', label: words.label, default: ['*'], explains: words.explains },
    namesLeftOut(`${words.label} left out`, words.except),
    { ...severity, name: 'severity', label: 'Severity', default: words.severity, explains: words.why },
    { name: 'hold', type: 'duration', label: 'Hold', default: words.hold, max: 30 * day, explains: words.holdWhy },
  ]
  return {
    name: words.name,
    title: words.title,
    subject: 'protection',
    collector: 'protection',
    about: [],
    choosing: {
      include: 'which',
      except: 'except',
      of: ({ protection }) => (protection ? words.of(protection).map(({ name }) => ({ name, title: '' })) : []),
    },
    parameters,
    sentence(values) {
      const say = sayer(parameters, values)
      const which = namedOf(say, values, 'which', 'any', words.one)
      return read.severity(values, 'severity') === null
        ? sentence`For ${which}, ${say('severity')} is raised.`
        : sentence`When ${which} ${words.when} for ${say('hold')}, raise ${say('severity')}.`
    },
    hold: (values) => ({ for: read.number(values, 'hold') }),
    clearHold: () => ({ for: 0 }),
    gone(values, { facts: { protection } }, name) {
      if (!chosen(read.list(values, 'which'), read.list(values, 'except'), name)) return true
      return protection !== undefined && !words.of(protection).some((guard) => guard.name === name)
    },
    observe(values, { facts: { protection } }) {
      if (!protection) return []
      const wanted = read.list(values, 'which')
      const except = read.list(values, 'except')
      return words
        .of(protection)
        .filter(({ name }) => chosen(wanted, except, name))
        .map(({ name, isRight, text, trouble }): Observation => {
          const raised = isRight === false ? read.severity(values, 'severity') : null
          return {
            instance: name,
            failing: raised ? [raised] : [],
            well: isRight !== null && raised === null,
            evidence: () => ({
              subject: name,
              text: `${name} ${isRight === null ? `cannot be told${trouble ? `: ${trouble}` : ''}` : text}`,
            }),
          }
        })
    },
  }
}
