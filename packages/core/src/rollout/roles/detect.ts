import type { Facts } from '../../estate'
import { matchesAny } from '../../text'
import type { RoleId } from '../../units'

/** Something that can be seen of a device. Names are patterns; any of them will do. */
export type Sign =
  | { on: 'service'; names: readonly string[] }
  | { on: 'package'; names: readonly string[] }
  | { on: 'port'; ports: readonly number[] }
  | { on: 'system'; names: readonly string[] }

/** A role and the ways to recognise it: one way is enough, and needs all of its signs. */
export interface DetectionRule {
  role: RoleId
  ways: readonly (readonly Sign[])[]
}

export interface RoleSuggestion {
  role: RoleId
  evidence: string[]
}

/** What is seen of the sign, as words, or null. A service counts when it runs, or is meant to. */
function see(sign: Sign, facts: Facts): string | null {
  switch (sign.on) {
    case 'service': {
      const found = facts.services?.find(
        (listed) => matchesAny(sign.names, listed.name) && (listed.state === 'running' || listed.start === 'automatic'),
      )
      return found ? `the service ${found.name} ${found.state === 'running' ? 'is running' : 'starts by itself'}` : null
    }
    case 'package': {
      const found = facts.packages?.find((name) => matchesAny(sign.names, name))
      return found === undefined ? null : `the package ${found} is installed`
    }
    case 'port': {
      const found = facts.ports?.find((listed) => sign.ports.includes(listed.port))
      return found ? `it listens on ${found.protocol} port ${found.port}` : null
    }
    case 'system': {
      const name = facts.system?.osName
      return name !== undefined && matchesAny(sign.names, name) ? `it runs ${name}` : null
    }
  }
}

/** The roles that the facts speak for, each with its evidence; in the order of the rules, one suggestion a role. */
export function suggestRoles(facts: Facts, rules: readonly DetectionRule[] = detectionRules): RoleSuggestion[] {
  const suggestions = new Map<RoleId, RoleSuggestion>()
  for (const rule of rules) {
    const evidence = new Set(suggestions.get(rule.role)?.evidence)
    for (const way of rule.ways) {
      const seen = way.map((sign) => see(sign, facts))
      if (seen.length && seen.every((sign) => sign !== null)) for (const sign of seen) evidence.add(sign)
    }
    if (evidence.size) suggestions.set(rule.role, { role: rule.role, evidence: [...evidence] })
  }
  return [...suggestions.values()]
}

const service = (...names: string[]): Sign => ({ on: 'service', names })
const packaged = (...names: string[]): Sign => ({ on: 'package', names })
const port = (...ports: number[]): Sign => ({ on: 'port', ports })

/**
 * The ordinary roles. Port numbers are those of IANA's Service Name and Transport Protocol Port Number Registry; names
 * of services and packages are Debian's and Windows Server's own.
 */
export const detectionRules: readonly DetectionRule[] = [
  {
    role: 'web',
    ways: [
      [service('nginx', 'apache2', 'httpd', 'lighttpd', 'W3SVC')],
      [packaged('nginx', 'apache2', 'lighttpd', 'caddy'), port(80, 443)],
    ],
  },
  {
    role: 'database',
    ways: [
      [service('postgresql*', 'mariadb', 'mysql', 'mongod', 'MSSQL*')],
      [packaged('postgresql-??', 'mariadb-server*', 'mysql-server*'), port(5432, 3306, 1433)],
    ],
  },
  {
    role: 'directory',
    ways: [[service('NTDS', 'slapd', 'samba-ad-dc')], [packaged('slapd', 'samba-ad-dc'), port(389, 636)]],
  },
  // Every Windows has a spooler; only one that prints for others listens for them.
  { role: 'print', ways: [[service('cups'), port(631)], [service('LPDSVC')], [service('Spooler'), port(515)]] },
  {
    role: 'file',
    ways: [
      [service('smbd', 'nfs-server', 'nfs-kernel-server')],
      [packaged('samba', 'nfs-kernel-server'), port(445, 2049)],
    ],
  },
  { role: 'mail', ways: [[service('postfix', 'exim4', 'dovecot', 'MSExchangeTransport'), port(25, 143, 587, 993)]] },
  {
    role: 'backup',
    ways: [
      [service('*backup-server*', 'bacula-dir', 'bareos-dir')],
      [packaged('bacula-director', 'bareos-director', 'amanda-server')],
    ],
  },
  { role: 'virtualisation', ways: [[service('libvirtd', 'virtqemud', 'vmms')]] },
  {
    role: 'workstation',
    ways: [[{ on: 'system', names: ['Windows 10*', 'Windows 11*'] }], [packaged('gdm3', 'sddm', 'lightdm')]],
  },
]
