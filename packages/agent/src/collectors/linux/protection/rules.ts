/** What a chain does, by those of its rules that hold for all that arrives, in their order. */
interface Chain {
  /** Where the kernel calls it for what arrives at the machine: what becomes of what no rule has decided. */
  policy: 'accept' | 'drop' | null
  protocols: readonly Protocol[]
  verdicts: Verdict[]
}
interface Verdict {
  is: 'accept' | 'refuse' | 'return' | 'jump' | 'goto'
  /** Of the last two, the chain. */
  to?: string
}
export type Protocol = 'IPv4' | 'IPv6'

const families: Readonly<Record<string, readonly Protocol[]>> = {
  ip: ['IPv4'],
  ip6: ['IPv6'],
  inet: ['IPv4', 'IPv6'],
}
/**
 * What a rule may say beside its verdict, and still hold for all that is meant for the machine: counting, noting down,
 * a comment, and that it is addressed to the machine itself.
 */
const asides =
  /\b(counter( packets \d+ bytes \d+)?|log( (prefix|level|flags|group|snaplen|queue-threshold) \S+)*|meta nftrace set \d+|fib daddr type local)(?= |$)/g

/** The verdict of a rule of nft(8) that holds for whatever arrives; null: it holds for some, or decides nothing. */
function verdictOf(rule: string): Verdict | null {
  const plain = rule
    .replace(/"[^"]*"/g, 'text')
    .replace(/ ?comment text/, '')
    .replace(asides, '')
    .replace(/\s+/g, ' ')
    .trim()
  const jump = /^(jump|goto) (\S+)$/.exec(plain)
  if (jump) return { is: jump[1] as 'jump' | 'goto', to: jump[2]! }
  if (plain === 'drop' || /^reject( with .*)?$/.test(plain)) return { is: 'refuse' }
  return plain === 'accept' || plain === 'return' ? { is: plain } : null
}

/** @param text what `nft --stateless --terse list ruleset` prints */
export function parseNft(text: string): Map<string, Chain> {
  const chains = new Map<string, Chain>()
  let [family, table] = ['', '']
  let chain: Chain | null = null
  let depth = 0
  for (const raw of text.split('\n')) {
    // Behind what opens a table of a program's own stands whose it is.
    const line = raw.replace(/ # [^"]*$/, '').trim()
    const opens = line.endsWith('{')
    const begins = /^table (\S+) (\S+) \{$/.exec(line)
    const named = /^chain (\S+) \{$/.exec(line)
    const base = /^type (\S+) hook (\S+) .*priority [^;]*;(?: policy (\w+);)?/.exec(line)
    if (begins) [family, table] = [begins[1]!, begins[2]!]
    else if (named && depth === 1) {
      chain = { policy: null, protocols: families[family] ?? [], verdicts: [] }
      chains.set(`${family} ${table} ${named[1]!}`, chain)
    } else if (chain && base) {
      if (base[1] === 'filter' && base[2] === 'input') chain.policy = base[3] === 'drop' ? 'drop' : 'accept'
    } else if (chain && depth === 2 && !opens && line !== '}') {
      const verdict = verdictOf(line)
      if (verdict) chain.verdicts.push(verdict.to ? { ...verdict, to: `${family} ${table} ${verdict.to}` } : verdict)
    }
    if (opens) depth++
    else if (line === '}') {
      depth--
      if (depth < 2) chain = null
    }
  }
  return chains
}

const targets: Readonly<Record<string, Verdict['is']>> = {
  ACCEPT: 'accept',
  DROP: 'refuse',
  REJECT: 'refuse',
  RETURN: 'return',
}

/** @param text what iptables-save(8) prints of the table *filter*; its built-in chain for what arrives is INPUT */
export function parseIptables(text: string, protocol: Protocol): Map<string, Chain> {
  const chains = new Map<string, Chain>()
  for (const line of text.split('\n')) {
    const declared = /^:(\S+) (\S+)/.exec(line)
    if (declared) {
      const policy = declared[1] !== 'INPUT' ? null : declared[2] === 'DROP' ? 'drop' : 'accept'
      chains.set(declared[1]!, { policy, protocols: [protocol], verdicts: [] })
    }
    const rule =
      /^-A (\S+)((?: -m comment --comment (?:"(?:[^"\\]|\\.)*"|\S+)| -m addrtype --dst-type LOCAL)*) -([jg]) (\S+)(?: --reject-with \S+)?$/.exec(
        line.trim(),
      )
    const chain = rule ? chains.get(rule[1]!) : undefined
    if (!rule || !chain) continue
    const [, , , by, target = ''] = rule
    const is = targets[target]
    if (is === 'accept' || is === 'refuse' || is === 'return') chain.verdicts.push({ is })
    // What a target does that is no chain, such as LOG, decides nothing.
    else if (chains.has(target)) chain.verdicts.push({ is: by === 'g' ? 'goto' : 'jump', to: target })
  }
  return chains
}

type Fate = 'accept' | 'refuse' | null

/**
 * What becomes of something that no rule names, where it comes into a chain; null: it comes out again.
 * @param known of chains that were followed already: each is followed once, and one that leads to itself nowhere
 */
function fate(chains: ReadonlyMap<string, Chain>, name: string, known = new Map<string, Fate>()): Fate {
  const before = known.get(name)
  if (before !== undefined) return before
  known.set(name, null)
  for (const verdict of chains.get(name)?.verdicts ?? []) {
    if (verdict.is === 'return') return null
    const end = verdict.is === 'accept' || verdict.is === 'refuse' ? verdict.is : fate(chains, verdict.to ?? '', known)
    if (end === null && verdict.is !== 'goto') continue
    known.set(name, end)
    return end
  }
  return null
}

/** What guards a protocol, by rules: which program keeps them, and whether they refuse what no rule lets in. */
export interface Guarding {
  by: string
  refuses: boolean
}

/**
 * For each protocol that there are rules for: one chain for what arrives that refuses it is enough, whatever the
 * others say (nft(8): an accept ends its own chain alone).
 * @param otherwise whose rules they are where their names do not tell
 */
export function guarding(chains: ReadonlyMap<string, Chain>, otherwise: string): Map<Protocol, Guarding> {
  const found = new Map<Protocol, Guarding>()
  for (const [name, { policy, protocols }] of chains) {
    if (policy === null) continue
    const end = fate(chains, name) ?? (policy === 'drop' ? 'refuse' : 'accept')
    const guard = { by: keeperOf(name, chains) ?? otherwise, refuses: end === 'refuse' }
    for (const protocol of protocols) if (!found.get(protocol)?.refuses) found.set(protocol, guard)
  }
  return found
}

/** Whose chain it is, by the names that programs give to their tables and chains. */
function keeperOf(name: string, chains: ReadonlyMap<string, Chain>): string | null {
  const [family = '', table = '', chain] = name.split(' ')
  if (table === 'firewalld') return 'firewalld'
  // What iptables keeps lies in tables that are named as its own always were.
  const isOlder = chain === undefined || (table === 'filter' && chain === 'INPUT')
  if (!isOlder) return null
  const start = chain === undefined ? '' : `${family} ${table} `
  return [...chains.keys()].some((each) => /^ufw6?-/.test(each.slice(start.length)) && each.startsWith(start))
    ? 'ufw'
    : 'iptables'
}
