import type { Scanner } from '../../../estate'
import { ageText, chosen } from '../../../text'
import { day, hour, minute, type Millis } from '../../../units'
import { read, type Observation, type WatchKind } from '../../kind'
import type { Parameter, Values } from '../../parameter'
import { sayer, sentence } from '../../sentence'
import { namedOf, severity, namesLeftOut } from './common'

const parameters: readonly Parameter[] = [
  {
    name: 'programs',
    type: 'patterns',
    label: 'Programs',
    default: ['*'],
    explains: 'As the system knows them. One of them has to be on.',
  },
  namesLeftOut('Programs left out'),
  {
    ...severity,
    name: 'off',
    label: 'None is on',
    default: 'critical',
    explains: 'There are some, and none looks at what is opened and run.',
  },
  {
    ...severity,
    name: 'none',
    label: 'There is none',
    default: 'warning',
    explains: 'The system knows of no such program. On Linux that may be as it should: then say nothing.',
  },
  {
    ...severity,
    name: 'old',
    label: 'Old definitions',
    default: 'warning',
    explains: 'It does not know what is new.',
  },
  {
    name: 'age',
    type: 'duration',
    label: 'Old from',
    default: 3 * day,
    min: hour,
    max: 365 * day,
    explains:
      'Counted from when they were made. They come several times a day; three days leave room for a weekend: common practice, no source.',
  },
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: 15 * minute,
    max: day,
    explains: 'While it renews itself it is off for some minutes: common practice, no source.',
  },
]

const isWanted = (values: Values, { name }: { name: string }) =>
  chosen(read.list(values, 'programs'), read.list(values, 'except'), name)

/** Whether any is on. Of several the system lets one look, and the others rest. */
function anyOn(values: Values, scanners: readonly Scanner[]): Observation {
  const isOn = scanners.some((scanner) => scanner.isOn === true)
  const isKnown = isOn || scanners.every((scanner) => scanner.isOn !== null)
  const raised = isOn || !isKnown ? null : read.severity(values, scanners.length ? 'off' : 'none')
  const names = scanners.map(({ name }) => name).join(', ')
  const on = scanners.flatMap(({ name, isOn: looks }) => (looks ? name : [])).join(', ')
  const unknown = scanners.find((scanner) => scanner.isOn === null)
  return {
    instance: '',
    failing: raised ? [raised] : [],
    well: isKnown && raised === null,
    evidence: () => ({
      subject: 'antivirus',
      text: isOn
        ? `antivirus is on: ${on}`
        : !scanners.length
          ? 'antivirus is not there'
          : isKnown
            ? `antivirus is off: ${names}`
            : `antivirus cannot be told: ${unknown!.name}${unknown!.trouble ? `: ${unknown!.trouble}` : ' does not say whether it is on'}`,
    }),
  }
}

/** The definitions of one that is on, or of which nobody can say: what is off is told of as a whole. */
function definitionsOf(values: Values, scanner: Scanner, at: Millis): Observation[] {
  const { name, isOn, definitionsAt, isOutdated } = scanner
  if (isOn === false || (definitionsAt === undefined && isOutdated === undefined)) return []
  const age = typeof definitionsAt === 'number' ? Math.max(0, at - definitionsAt) : null
  const isOld = age === null ? definitionsAt === null || isOutdated === true : age > read.number(values, 'age')
  const raised = isOld ? read.severity(values, 'old') : null
  const otherwise =
    definitionsAt === null ? 'has no definitions' : `says that its definitions are ${isOutdated ? 'old' : 'new'}`
  return [
    {
      instance: name,
      failing: raised ? [raised] : [],
      well: raised === null,
      evidence: () => ({
        subject: name,
        text: `${name} ${age === null ? otherwise : `has definitions that are ${ageText(age)} old`}`,
        ...(age === null ? {} : { value: age }),
      }),
    },
  ]
}

/** Programs against malicious software: one is on, and knows what is new. */
export const antivirus: WatchKind = {
  name: 'antivirus',
  title: 'Antivirus',
  subject: 'protection',
  collector: 'protection',
  about: [],
  choosing: {
    include: 'programs',
    except: 'except',
    of: ({ protection }) => (protection?.scanners ?? []).map(({ name }) => ({ name, title: '' })),
  },
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    const isOn = (name: string) => read.severity(values, name) !== null
    const parts = [
      ...(isOn('off') ? [sentence`when none is on for ${say('hold')}, raise ${say('off')}`] : []),
      ...(isOn('none') ? [sentence`where there is none, ${say('none')}`] : []),
      ...(isOn('old') ? [sentence`for definitions older than ${say('age')}, ${say('old')}`] : []),
    ]
    const all = parts.flatMap((part, i) => (i === 0 ? part : [{ text: '; ' }, ...part]))
    return sentence`Of ${namedOf(say, values, 'programs', 'every', 'antivirus program')}, ${all.length ? all : 'nothing is asked'}.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: () => ({ for: 0 }),
  gone(values, { facts: { protection } }, name) {
    if (name === '' || protection === undefined) return false
    const scanner = protection.scanners.find((each) => each.name === name)
    return !scanner || scanner.isOn === false || !isWanted(values, scanner)
  },
  observe(values, { at, facts: { protection } }) {
    if (!protection) return []
    const scanners = protection.scanners.filter((scanner) => isWanted(values, scanner))
    return [anyOn(values, scanners), ...scanners.flatMap((scanner) => definitionsOf(values, scanner, at))]
  },
}
