import type { ArrayState, Drive, DriveArray, DriveWarning } from '../../../estate'
import { mostUrgent, type Severity } from '../../../severity'
import { chosen, countText, percentText } from '../../../text'
import { read, type Observation, type WatchKind } from '../../kind'
import type { Parameter, Values } from '../../parameter'
import { sayer, sentence } from '../../sentence'

const severities = ['notice', 'warning', 'critical', 'nothing'] as const
const severity = { type: 'choice', choices: severities } as const

const parameters: readonly Parameter[] = [
  {
    name: 'drives',
    type: 'patterns',
    label: 'Drives',
    default: ['*'],
    explains: 'Drives, arrays and pools as the system calls them, such as sda, nvme0 or md0.',
  },
  {
    name: 'except',
    type: 'patterns',
    label: 'Drives left out',
    default: [],
    adds: true,
    explains: 'These stay out even when the first list names them.',
  },
  {
    ...severity,
    name: 'failing',
    label: 'About to fail',
    default: 'critical',
    explains:
      'It says so itself, or has too few spare blocks left by its maker’s own measure. Copy what is on it, then replace it.',
  },
  {
    ...severity,
    name: 'sectors',
    label: 'Bad sectors',
    default: 'warning',
    explains:
      'After its first unreadable sector a drive is 39 times as likely to fail within 60 days: Pinheiro, Weber and Barroso, “Failure Trends in a Large Disk Drive Population”, FAST 2007.',
  },
  {
    name: 'reallocated',
    type: 'count',
    label: 'Replaced sectors from',
    default: 10,
    min: 1,
    max: 1_000_000,
    explains:
      'Those that it has replaced from its spares. A few in a long life are ordinary: common practice, no source.',
  },
  {
    ...severity,
    name: 'wear',
    label: 'Worn',
    default: 'warning',
    explains: 'It goes on for a while; there is time to order the next one.',
  },
  {
    name: 'worn',
    type: 'percent',
    label: 'Worn from',
    default: 0.9,
    min: 0,
    max: 2.55,
    explains: 'The share of what it was made to endure. Above 100 % it goes on beyond it.',
  },
  {
    ...severity,
    name: 'array',
    label: 'Array without a drive',
    default: 'critical',
    explains: 'The next drive that fails may take the data along.',
  },
  {
    ...severity,
    name: 'rebuilding',
    label: 'Array being rebuilt',
    default: 'warning',
    explains: 'Somebody has replaced a drive; until it is done the next one may take the data along.',
  },
]

const warningWords: Record<DriveWarning, string> = {
  spare: 'has few spare blocks left',
  temperature: 'is too hot or too cold',
  reliability: 'has become unreliable',
  'read-only': 'takes nothing more to write',
  backup: 'has lost what would save its cache in a power cut',
  'persistent-memory': 'has lost its protected memory',
}
/** Warnings that mean that it fails; the others are told as what they are, as bad sectors are. */
const fatal: readonly DriveWarning[] = ['spare', 'reliability', 'read-only']

/** A trouble of a drive: which parameter names its severity, and its words. */
interface Trouble {
  by: 'failing' | 'sectors' | 'wear' | 'array' | 'rebuilding'
  text: string
}

/** What is wrong with a drive by what it says, the worst first; bounded by the values of the watch. */
function troublesOf(drive: Drive, most: { reallocated: number; worn: number }): Trouble[] {
  const { passed, reallocated = 0, pending = 0, uncorrectable = 0, worn, spare, spareLeast, warnings = [] } = drive
  const found: Trouble[] = []
  if (passed === false) found.push({ by: 'failing', text: 'says itself that it is about to fail' })
  for (const warning of warnings)
    found.push({ by: fatal.includes(warning) ? 'failing' : 'sectors', text: warningWords[warning] })
  if (spare !== undefined && spareLeast !== undefined && spare < spareLeast && !warnings.includes('spare'))
    found.push({ by: 'failing', text: `has ${percentText(spare)} of its spare blocks left` })
  if (uncorrectable > 0) found.push({ by: 'sectors', text: `could not read ${countText(uncorrectable, 'sector')}` })
  if (pending > 0) found.push({ by: 'sectors', text: `has ${countText(pending, 'sector')} that it may not read again` })
  if (reallocated >= most.reallocated)
    found.push({ by: 'sectors', text: `has replaced ${countText(reallocated, 'sector')}` })
  if (worn !== undefined && worn >= most.worn) found.push({ by: 'wear', text: `is worn to ${percentText(worn)}` })
  return found
}

const arrayWords: Record<ArrayState, string> = {
  well: 'has all its drives',
  checking: 'has all its drives, and is checking them',
  degraded: 'works without',
  rebuilding: 'is being rebuilt; until then it works without',
  failed: 'has failed',
  unknown: 'does not say how it is',
}

function arrayText({ state, missing, members, progress }: DriveArray): string {
  const isShort = state === 'degraded' || state === 'rebuilding'
  const drives = isShort ? ` ${missing === 0 ? 'some' : missing} of ${countText(members, 'drive')}` : ''
  return `${arrayWords[state]}${drives}${progress === undefined ? '' : `, ${percentText(progress)} done`}`
}

function severityOf(values: Values, troubles: readonly Trouble[]): Severity | null {
  return mostUrgent(troubles.flatMap(({ by }) => read.severity(values, by) ?? []))
}

function ofDrive(values: Values, drive: Drive): Observation {
  const most = { reallocated: read.number(values, 'reallocated'), worn: read.number(values, 'worn') }
  const troubles = troublesOf(drive, most)
  const severity = severityOf(values, troubles)
  const told = troubles.filter(({ by }) => read.severity(values, by) !== null)
  const model = drive.model ? ` (${drive.model})` : ''
  // A drive that gives no verdict, and no figure either, is not known to be well.
  const isSilent = drive.passed === null && drive.worn === undefined && drive.pending === undefined
  const otherwise = isSilent ? 'does not say how it is' : 'says that it is well'
  return {
    instance: drive.name,
    failing: severity ? [severity] : [],
    well: severity === null && drive.trouble === undefined && !isSilent,
    evidence: () => ({
      subject: drive.name,
      text: `${drive.name}${model} ${told.map(({ text }) => text).join(', ') || (drive.trouble ? `cannot be asked: ${drive.trouble}` : otherwise)}`,
    }),
  }
}

function ofArray(values: Values, array: DriveArray): Observation {
  const by = array.state === 'rebuilding' ? 'rebuilding' : 'array'
  const isWrong = array.state === 'degraded' || array.state === 'rebuilding' || array.state === 'failed'
  const severity = isWrong ? read.severity(values, by) : null
  return {
    instance: array.name,
    failing: severity ? [severity] : [],
    well: severity === null && array.state !== 'unknown' && array.trouble === undefined,
    evidence: () => ({ subject: array.name, text: `${array.name} ${arrayText(array)}` }),
  }
}

/** Drives by their own data, and arrays of them by what the system says. */
export const driveHealth: WatchKind = {
  name: 'drive-health',
  title: 'Drive health',
  subject: 'disk',
  collector: 'drives',
  about: [],
  choosing: {
    include: 'drives',
    except: 'except',
    of: ({ drives }) => [
      ...(drives?.drives ?? []).map(({ name, model }) => ({ name, title: model })),
      ...(drives?.arrays ?? []).map(({ name, level }) => ({ name, title: level })),
    ],
  },
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    const names = read.list(values, 'drives')
    const isEvery = names.length === 1 && names[0] === '*'
    const which = isEvery ? sentence`${say('drives', 'every')} drive` : sentence`the drives ${say('drives')}`
    const except = read.list(values, 'except').length ? sentence` except ${say('except')}` : []
    const isOn = (name: string) => read.severity(values, name) !== null
    const parts = [
      ...(isOn('failing') ? [sentence`when it is about to fail, raise ${say('failing')}`] : []),
      ...(isOn('sectors')
        ? [sentence`for bad sectors, or ${say('reallocated')} that it has replaced, ${say('sectors')}`]
        : []),
      ...(isOn('wear') ? [sentence`worn to ${say('worn')}, ${say('wear')}`] : []),
      ...(isOn('array') ? [sentence`an array without a drive, ${say('array')}`] : []),
      ...(isOn('rebuilding') ? [sentence`one being rebuilt, ${say('rebuilding')}`] : []),
    ]
    const all = parts.flatMap((part, i) => (i === 0 ? part : [{ text: '; ' }, ...part]))
    return sentence`On ${which}${except}, ${all.length ? all : [{ text: 'nothing is asked' }]}.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  gone(values, { facts: { drives } }, name) {
    if (!chosen(read.list(values, 'drives'), read.list(values, 'except'), name)) return true
    return drives !== undefined && ![...drives.drives, ...drives.arrays].some((each) => each.name === name)
  },
  observe(values, { facts: { drives } }) {
    const isWanted = ({ name }: { name: string }) =>
      chosen(read.list(values, 'drives'), read.list(values, 'except'), name)
    return [
      ...(drives?.drives ?? []).filter(isWanted).map((drive) => ofDrive(values, drive)),
      ...(drives?.arrays ?? []).filter(isWanted).map((array) => ofArray(values, array)),
    ]
  },
}
