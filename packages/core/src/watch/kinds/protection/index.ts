import { day, minute } from '../../../units'
import { antivirus } from './antivirus'
import { clockKept } from './clock'
import { guardKind } from './stateKind'

const firewall = guardKind({
  name: 'firewall',
  title: 'Firewall',
  one: 'firewall',
  when: 'lets in what no rule names',
  label: 'Firewalls',
  explains: 'On Windows its profiles (Domain, Private, Public); on Linux what each protocol lets in (IPv4, IPv6).',
  except: [],
  severity: 'warning',
  why: 'Whatever listens on the machine can be reached by whoever is in the same network.',
  hold: 15 * minute,
  holdWhy: 'Somebody who looks for a fault switches it off for a moment: common practice, no source.',
  of: ({ firewalls }) =>
    firewalls.map(({ name, isOn, by, trouble }) => ({
      name,
      isRight: isOn,
      text: isOn ? `is guarded${by ? ` by ${by}` : ''}` : `is open: ${by ? `${by} lets everything in` : 'no rules'}`,
      trouble,
    })),
})

const encryption = guardKind({
  name: 'encryption',
  title: 'Disk encryption',
  one: 'volume',
  when: 'is not encrypted',
  label: 'Volumes',
  explains: 'Mounts or letters, and swap, where what was in memory ends up.',
  except: ['/boot', '/boot/*', '/efi'],
  severity: 'warning',
  why: 'Whoever takes the machine along reads it. For machines that are carried, or stand where others come by.',
  hold: day,
  holdWhy: 'A new volume is encrypted by somebody, which takes hours: common practice, no source.',
  of: ({ volumes }) =>
    volumes.map(({ name, isEncrypted, trouble }) => ({
      name,
      isRight: isEncrypted,
      text: isEncrypted ? 'is encrypted' : 'is not encrypted',
      trouble,
    })),
})

/** How well a device is protected, by what its system says. */
export const protectionKinds = [antivirus, firewall, encryption, clockKept] as const
