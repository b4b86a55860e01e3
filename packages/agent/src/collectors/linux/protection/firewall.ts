import { existsSync, readFileSync, statSync } from 'node:fs'
import { networkInterfaces } from 'node:os'
import { hour, minute, type Firewall, type Millis } from '#core'
import { steady } from '../../../clock'
import { rootTimerPlace } from '../../../install/rootTimers'
import { firewallFile, mostRules, protectionTimer } from '../../../install/rootTimers/protection'
import { guarding, parseIptables, parseNft, type Guarding, type Protocol } from './rules'

/** What root's script has written: see `protectionScript`. */
interface Section {
  name: string
  status: number
  text: string
}
function sectionsOf(told: string): Section[] {
  return told
    .split(/^== /m)
    .slice(1)
    .map((part) => {
      const end = part.indexOf('\n')
      const [name = '', status = ''] = part.slice(0, end).split(' ')
      return { name, status: Number(status), text: part.slice(end + 1) }
    })
}

/** What was made of it. */
export interface Rules {
  guards: Map<Protocol, Guarding>[]
  /** What could not be read may be what guards it: why. */
  trouble: string | null
}

/** @param told by root's script */
export function readRules(told: string): Rules {
  const sections = sectionsOf(told)
  const failed = sections.find(({ status }) => status !== 0)
  const tooLong = sections.find(({ text }) => text.length >= mostRules)
  const guards = sections
    .filter((section) => section.status === 0 && section.text.length < mostRules)
    .map(({ name, text }) =>
      name === 'nft'
        ? guarding(parseNft(text), 'nftables')
        : guarding(parseIptables(text, name === 'ip' ? 'IPv4' : 'IPv6'), 'iptables'),
    )
  if (failed) return { guards, trouble: `its rules could not be listed: ${failed.text.trim() || 'no word'}` }
  return { guards, trouble: tooLong ? 'it has too many rules to be read' : null }
}

/** What guards each protocol. */
export function firewallsOf({ guards, trouble }: Rules, protocols: readonly Protocol[]): Firewall[] {
  return protocols.map((name): Firewall => {
    const found = guards.flatMap((each) => each.get(name) ?? [])
    const refusing = found.find(({ refuses }) => refuses)
    if (refusing) return { name, isOn: true, by: refusing.by }
    return trouble === null ? { name, isOn: false, by: found[0]?.by ?? '' } : { name, isOn: null, by: '', trouble }
  })
}

/** What the machine speaks beyond itself. */
export function protocolsSpoken(links = networkInterfaces()): Protocol[] {
  const all = Object.values(links).flatMap((addresses) => addresses ?? [])
  const speaks = (family: Protocol) => all.some((address) => address.family === family && !address.internal)
  return (['IPv4', 'IPv6'] as const).filter(speaks)
}

const oldAfter: Millis = hour
const firstWithin: Millis = 15 * minute

/**
 * What guards the machine from the network, by the rules that root's script lists.
 * @returns null: it has not run since the agent began, which is no trouble yet
 */
export function firewallReader(
  file = firewallFile,
  timer = rootTimerPlace('', protectionTimer).trigger,
  clock: () => Millis = steady,
): () => Firewall[] | null {
  const since = clock()
  let written: { at: number; seen: Millis; rules: Rules } | null = null
  const unknown = (trouble: string) => protocolsSpoken().map((name) => ({ name, isOn: null, by: '', trouble }))
  return () => {
    if (existsSync(file)) {
      const { mtimeMs: at } = statSync(file)
      if (written?.at !== at) written = { at, seen: clock(), rules: readRules(readFileSync(file, 'utf8')) }
      const old = clock() - written.seen
      return old > oldAfter
        ? unknown('not asked for more than an hour; see: systemctl status custode-agent-protection.service')
        : firewallsOf(written.rules, protocolsSpoken())
    }
    if (existsSync(timer)) {
      if (clock() - since < firstWithin) return null
      return unknown('not asked yet; see: systemctl status custode-agent-protection.service')
    }
    return unknown('only root may read its rules. Where systemd runs, the line of installation, run once more, does it')
  }
}
