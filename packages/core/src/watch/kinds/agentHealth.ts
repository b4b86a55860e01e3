import { durationText } from '../../text'
import { minute } from '../../units'
import { collectors, read, type Collector, type Observation, type WatchKind } from '../kind'
import type { Parameter } from '../parameter'
import { sayer, sentence } from '../sentence'

/** What each collector reads, as a person would say it. */
export const collectorWords: Readonly<Record<Collector, string>> = {
  performance: 'CPU and memory',
  disks: 'disks',
  drives: 'drives and arrays',
  network: 'network',
  services: 'services',
  updates: 'updates',
  eventlog: 'event logs',
  software: 'packages and ports',
  processes: 'processes',
  files: 'files and folders',
  protection: 'protection',
  sessions: 'sessions',
  counters: 'counters of programs',
  probes: 'other devices',
  certificates: 'certificates',
}

const severity: Parameter = {
  name: 'severity',
  type: 'choice',
  label: 'Severity',
  choices: ['notice', 'warning', 'critical'],
  default: 'warning',
  explains: 'What is not read is not watched either: no other alert can come from it.',
}
const collecting: readonly Parameter[] = [
  severity,
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: 10 * minute,
    max: 86_400_000,
    explains: 'One look that fails, such as during an update, is no trouble.',
  },
]

/** A part of a device that its agent cannot read: nothing that depends on it can be judged. */
export const collectorFails: WatchKind = {
  name: 'collector-fails',
  title: 'Not read',
  subject: 'agent',
  collector: null,
  about: [],
  parameters: collecting,
  sentence(values) {
    const say = sayer(collecting, values)
    return sentence`When a part of the device has not been read for ${say('hold')}, raise ${say('severity')}; clear when it is read again.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: () => ({ for: 0 }),
  observe(values, { at, heardAt, failed, absent, rested, reasons }) {
    // While the device is silent nothing is known of its collectors.
    if (at !== heardAt) return []
    return collectors
      .filter((collector) => failed.includes(collector) || !rested?.includes(collector))
      .map((collector): Observation => {
        const failing = failed.includes(collector) && !absent?.includes(collector)
        const reason = reasons?.[collector]
        return {
          instance: collector,
          failing: failing ? [read.severity(values, 'severity')!] : [],
          well: !failing,
          evidence: () => ({
            subject: `its ${collectorWords[collector]}`,
            text: failing
              ? `its ${collectorWords[collector]} cannot be read${reason ? `: ${reason}` : ''}`
              : `its ${collectorWords[collector]} are read again`,
          }),
        }
      })
  },
}

const sharing: readonly Parameter[] = [
  {
    ...severity,
    default: 'critical',
    explains: 'Of two machines only one is watched; the other is silent without anybody hearing so.',
  },
]

/** How long after the last sign of another machine a device counts as shared. */
export const sharedFor = 15 * minute

/** Two machines that report as one device: a clone, or a snapshot that runs beside its original. */
export const identityShared: WatchKind = {
  name: 'identity-shared',
  title: 'Two machines as one',
  subject: 'agent',
  collector: null,
  about: [],
  parameters: sharing,
  sentence(values) {
    const say = sayer(sharing, values)
    return sentence`When two machines report as this device, raise ${say('severity')}; clear when only one has for ${durationText(sharedFor)}.`
  },
  hold: () => ({ for: 0 }),
  clearHold: () => ({ for: 0 }),
  observe: (values, { shared = false }) => [
    {
      instance: '',
      failing: shared ? [read.severity(values, 'severity')!] : [],
      well: !shared,
      evidence: () => ({
        subject: shared ? 'two machines' : 'one machine',
        text: shared
          ? 'two machines report as this device: one is a copy of the other. Enrol the copy again'
          : 'one machine reports as this device',
      }),
    },
  ],
}
