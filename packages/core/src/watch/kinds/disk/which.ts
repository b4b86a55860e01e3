import type { Disk, Facts } from '../../../estate'
import { chosen } from '../../../text'
import { read, type Choosing } from '../../kind'
import type { Parameter, Values } from '../../parameter'
import { sentence, type Say, type SentencePart } from '../../sentence'

export const mediaChosen = ['fixed', 'fixed or removable', 'fixed or network', 'network', 'any'] as const

/** The parameters by which a watch chooses among the disks of a device. */
export const whichDisks: readonly Parameter[] = [
  {
    name: 'disks',
    type: 'patterns',
    label: 'Disks',
    default: ['*'],
    explains: 'Mount points or drive letters, with * for any run of characters.',
  },
  {
    name: 'except',
    type: 'patterns',
    label: 'Disks left out',
    default: [],
    adds: true,
    explains: 'These stay out even when the first list names them.',
  },
  {
    name: 'media',
    type: 'choice',
    label: 'Media',
    choices: mediaChosen,
    default: 'fixed',
    explains:
      'Removable disks come and go, and what another machine shares is watched there, so they stay out unless wanted. Agents ask shares only where a watch wants them.',
  },
]

function sortOf({ removable, remote }: Disk): 'fixed' | 'removable' | 'network' {
  if (remote) return 'network'
  return removable ? 'removable' : 'fixed'
}

export const choosingDisks: Choosing = {
  include: 'disks',
  except: 'except',
  of: (facts) =>
    (facts.disks ?? []).map((disk) => ({ name: disk.mount, title: sortOf(disk) === 'fixed' ? '' : sortOf(disk) })),
}

/** Whether a watch is about what another machine shares: agents ask for it only then. */
export const wantsShares = (values: Values): boolean => /network|any/.test(read.text(values, 'media'))

/** Whether a watch names a disk; of which sort it is does not count. */
export const isDiskNamed = (values: Values, mount: string): boolean =>
  chosen(read.list(values, 'disks'), read.list(values, 'except'), mount)

/** Whether a watch is about a disk. @param disk what is known of it; one that nothing is known of counts as fixed */
export function isDiskWanted(values: Values, mount: string, disk: Disk | undefined): boolean {
  if (!isDiskNamed(values, mount)) return false
  const media = read.text(values, 'media')
  return media === 'any' || (disk === undefined ? media !== 'network' : media.split(' or ').includes(sortOf(disk)))
}

/** Whether a disk is no longer there, or no longer wanted; what is not known is not gone. */
export function isDiskGone(values: Values, { disks }: Facts, mount: string): boolean {
  if (!isDiskNamed(values, mount)) return true
  if (disks === undefined) return false
  const disk = disks.find((disk) => disk.mount === mount)
  return !disk || !isDiskWanted(values, mount, disk)
}

const mediaWords: Readonly<Record<string, string>> = {
  'fixed or network': 'fixed disk or network share',
  network: 'network share',
  any: 'disk or network share',
}

/** Which disks, as a sentence begins: *every fixed disk except /boot*. */
export function disksSentence(say: Say, values: Values): SentencePart[] {
  const disks = read.list(values, 'disks')
  const media = read.text(values, 'media')
  const isEvery = disks.length === 1 && disks[0] === '*'
  const words = mediaWords[media] ?? `${media} disk`
  // Of chosen disks their sort goes without saying, unless it is not the ordinary one.
  const sort = isEvery || media !== 'fixed' ? sentence` ${say('media', isEvery ? words : `(${media})`)}` : []
  const which = isEvery ? [say('disks', 'every')] : sentence`${disks.length === 1 ? 'disk' : 'disks'} ${say('disks')}`
  const except = read.list(values, 'except').length ? sentence` except ${say('except')}` : []
  return sentence`${which}${sort}${except}`
}
