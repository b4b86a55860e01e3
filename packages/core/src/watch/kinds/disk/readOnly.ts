import { minute } from '../../../units'
import { read, type Observation, type WatchKind } from '../../kind'
import type { Parameter } from '../../parameter'
import { sayer, sentence } from '../../sentence'
import { choosingDisks, disksSentence, isDiskGone, isDiskWanted, whichDisks } from './which'

const severities = ['notice', 'warning', 'critical', 'nothing'] as const

const parameters: readonly Parameter[] = [
  ...whichDisks,
  {
    name: 'fault',
    type: 'choice',
    label: 'After an error',
    choices: severities,
    default: 'critical',
    explains: 'The system takes the right to write away to save what is there; what runs on it has stopped working.',
  },
  {
    name: 'changed',
    type: 'choice',
    label: 'Unlike its settings',
    choices: severities,
    default: 'warning',
    explains: 'Somebody has mounted it so for some work, and has not turned back.',
  },
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: 2 * minute,
    max: 86_400_000,
    explains: 'While a machine starts its disks are checked before they can be written to.',
  },
]

const words = {
  fault: 'can no longer be written to: the system has made it read-only after an error',
  changed: 'is mounted read-only, unlike its settings',
  meant: 'is meant to be read-only',
} as const

/** Disks that can no longer be written to. */
export const diskReadOnly: WatchKind = {
  name: 'disk-read-only',
  title: 'Read-only disk',
  subject: 'disk',
  collector: 'disks',
  about: [],
  choosing: choosingDisks,
  parameters,
  sentence(values) {
    const say = sayer(parameters, values)
    const changed =
      values.changed === 'nothing' ? [] : sentence`; when mounted read-only unlike its settings, ${say('changed')}`
    return sentence`On ${disksSentence(say, values)}, when it has been read-only after an error for ${say('hold')}, raise ${say('fault')}${changed}; clear when it can be written to.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: () => ({ for: 0 }),
  gone: (values, { facts }, mount) => isDiskGone(values, facts, mount),
  observe: (values, { facts }) =>
    (facts.disks ?? []).flatMap((disk): Observation[] => {
      if (!isDiskWanted(values, disk.mount, disk)) return []
      const { readOnly = null } = disk
      const severity = readOnly === null || readOnly === 'meant' ? null : read.severity(values, readOnly)
      return [
        {
          instance: disk.mount,
          failing: severity ? [severity] : [],
          // What cannot be looked into is not known to be well.
          well: severity === null && disk.trouble === undefined,
          evidence: () => ({
            subject: disk.mount,
            text: `${disk.mount} ${readOnly === null ? 'can be written to' : words[readOnly]}`,
          }),
        },
      ]
    }),
}
