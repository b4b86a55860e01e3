import type { DeviceTraits, Facts, OsFamily, Target } from '../../estate'
import type { Assignment, EffectiveWatch, Policy, Template, WatchSpec } from '../../policy'
import { chosen, matchesAny, matchesPattern } from '../../text'
import { hour, minute, type Millis, type RoleId } from '../../units'
import { watchKind, watchKinds, type OptionalCollector, type Values } from '../../watch'
import type { Collecting } from './collecting'

/** What a device with the role should have collected and watched, where it is there at all. Names are patterns. */
export interface RoleNeed {
  id: string
  role: RoleId
  osFamily: OsFamily | null
  of:
    | { on: 'service'; names: readonly string[] }
    | { on: 'log'; names: readonly string[] }
    | { on: 'collector'; collector: OptionalCollector }
  why: string
}

/** `instance`: the service, log or collector. One of the two is true, or both. */
export interface CoverageGap {
  need: string
  instance: string
  uncollected: boolean
  unwatched: boolean
  /** Why it is not collected although it is wanted; else empty. */ trouble: string
}

const service = (role: RoleId, why: string, ...names: string[]): RoleNeed => ({
  id: `${role}.service`,
  role,
  osFamily: null,
  of: { on: 'service', names },
  why,
})
const log = (role: RoleId, osFamily: OsFamily, why: string, ...names: string[]): RoleNeed => ({
  id: `${role}.log.${osFamily}`,
  role,
  osFamily,
  of: { on: 'log', names },
  why,
})
const certificates = (role: RoleId): RoleNeed => ({
  id: `${role}.certificates`,
  role,
  osFamily: 'linux',
  of: { on: 'collector', collector: 'certificates' },
  why: 'An expired certificate turns everybody away at once, on a day known long before.',
})

/** The ordinary roles. Names of services and logs are those of Debian's packages and of Windows, from memory. */
export const roleNeeds: readonly RoleNeed[] = [
  service('web', 'Nobody is served without it.', 'nginx', 'apache2', 'httpd', 'lighttpd', 'caddy', 'W3SVC'),
  log(
    'web',
    'linux',
    'What visitors met is written here before anybody calls.',
    'nginx/error.log',
    'apache2/error.log',
    'lighttpd/error.log',
  ),
  certificates('web'),
  service('database', 'Everything else waits for it.', 'postgresql*', 'mariadb', 'mysql', 'mongod', 'MSSQL*'),
  log(
    'database',
    'linux',
    'Damaged pages and refused connections show here first.',
    'postgresql/*.log',
    'mysql/error.log',
    'mariadb/error.log',
    'mongodb/mongod.log',
  ),
  service('directory', 'Nobody signs in without it.', 'NTDS', 'DNS', 'Kdc', 'Netlogon', 'slapd', 'samba-ad-dc'),
  log(
    'directory',
    'windows',
    'Replication that fails is seen here long before sign-ins do.',
    'Directory Service',
    'DNS Server',
    'DFS Replication',
  ),
  service('print', 'Jobs pile up without it.', 'cups', 'Spooler'),
  log('print', 'windows', 'Printers that refuse their jobs say so here.', 'Microsoft-Windows-PrintService/Admin'),
  log('print', 'linux', 'Printers that refuse their jobs say so here.', 'cups/error_log'),
  service('file', 'Shares are gone without it.', 'smbd', 'nfs-server', 'nfs-kernel-server', 'LanmanServer'),
  log('file', 'linux', 'Refused and broken shares show here.', 'samba/log.smbd'),
  service('mail', 'Mail waits at the senders without it.', 'postfix', 'exim4', 'dovecot', 'MSExchangeTransport'),
  log('mail', 'linux', 'What could not be delivered, and why.', 'mail.err', 'mail.warn'),
  certificates('mail'),
  service('backup', 'Nothing is kept without it.', '*backup-server*', 'bacula-dir', 'bareos-dir'),
  log('backup', 'linux', 'The runs report here.', '*backup*.log', 'bacula/bacula.log', 'bareos/bareos.log'),
  service('virtualisation', 'Its guests cannot be started or moved without it.', 'libvirtd', 'virtqemud', 'vmms'),
  log('virtualisation', 'windows', 'Guests that fail to start say why here.', 'Microsoft-Windows-Hyper-V-VMMS-Admin'),
]

/** @throws RangeError when there is no such need. */
export function roleNeed(id: string): RoleNeed {
  const need = roleNeeds.find((candidate) => candidate.id === id)
  if (!need) throw new RangeError(`There is no need “${id}”.`)
  return need
}

type Watching = Pick<EffectiveWatch, 'kind' | 'values'>

/** Whether a watch looks at the instance: by its name, or, for services, as one that should be running. */
function looksAt(watch: Watching, need: RoleNeed, instance: string, facts: Facts): boolean {
  const { values } = watch
  const list = (name: string) => values[name] as readonly string[]
  switch (need.of.on) {
    case 'service': {
      if (watch.kind !== 'service-state' || !chosen(list('names'), list('except'), instance)) return false
      if (values.which === 'named') return values.expected === 'running'
      return facts.services?.some((listed) => listed.name === instance && listed.start === 'automatic') ?? false
    }
    case 'log':
      return (
        watchKinds.get(watch.kind)?.subject === 'eventlog' &&
        values.channel !== '' &&
        matchesPattern(values.channel as string, instance)
      )
    case 'collector':
      return watchKinds.get(watch.kind)?.collector === need.of.collector
  }
}

/** A service that patterns hide although a role needs it. */
export interface HiddenNeed {
  role: RoleId
  service: string
}

/**
 * Which services that roles need are left out by patterns that have just been written.
 * @param device its roles and what it has; without one, what any role may need is asked, by the names of its services
 */
export function hiddenNeeds(
  left: readonly string[],
  device: { roles: readonly RoleId[]; services: readonly { name: string }[] } | null,
): HiddenNeed[] {
  const isHidden = (name: string) => !chosen(['*'], left, name)
  return roleNeeds.flatMap(({ role, of }) => {
    if (of.on !== 'service' || (device && !device.roles.includes(role))) return []
    const names = device
      ? device.services.map(({ name }) => name).filter((name) => matchesAny(of.names, name))
      : of.names.map((name) => name.replaceAll('*', ''))
    return names.filter(isHidden).map((service) => ({ role, service }))
  })
}

/** What of a need there is on the device, and whether it is collected. */
function present(need: RoleNeed, facts: Facts): { instance: string; collected: boolean; trouble?: string }[] {
  const { of } = need
  switch (of.on) {
    case 'service':
      return (facts.services ?? [])
        .filter(
          (listed) => matchesAny(of.names, listed.name) && (listed.state === 'running' || listed.start === 'automatic'),
        )
        .map((listed) => ({ instance: listed.name, collected: true }))
    case 'log':
      return (facts.logs ?? [])
        .filter((channel) => matchesAny(of.names, channel.name))
        .map(({ name, collected, trouble }) => ({ instance: name, collected, ...(trouble ? { trouble } : {}) }))
    // An agent that does not tell its optional collectors could not take one either.
    case 'collector':
      return facts.system?.optional
        ? [{ instance: of.collector, collected: facts.system.optional.includes(of.collector) }]
        : []
  }
}

/**
 * What the device's roles need and nobody collects or nobody watches. What an exception leaves out on purpose is no
 * gap, and neither is a need for something that is not on the device.
 */
export function coverageGaps(
  device: Pick<DeviceTraits, 'roles' | 'osFamily'>,
  facts: Facts,
  roster: readonly EffectiveWatch[],
): CoverageGap[] {
  const watching = roster.filter((watch) => watch.standing !== 'dormant')
  return roleNeeds
    .filter((need) => device.roles.includes(need.role) && (need.osFamily === null || need.osFamily === device.osFamily))
    .flatMap((need) =>
      present(need, facts)
        .map(({ instance, collected, trouble = '' }) => ({
          need: need.id,
          instance,
          trouble,
          uncollected: !collected,
          unwatched: !watching.some((watch) => looksAt(watch, need, instance, facts)),
        }))
        .filter((gap) => gap.uncollected || gap.unwatched),
    )
}

/**
 * What closes a gap: something more to collect, a template to assign, or a watch of its own in a template for the role.
 */
export interface Remedy {
  target: Target
  collect: Collecting | null
  /** Null: nothing has to be watched beyond what is. `id` null: the template is still to be made. */
  template: { id: number | null; name: string; add: WatchSpec | null } | null
}

function withDefaults(spec: WatchSpec): Watching {
  const kind = watchKind(spec.kind)
  return {
    kind: spec.kind,
    values: {
      ...Object.fromEntries(kind.parameters.map((parameter) => [parameter.name, parameter.default])),
      ...spec.values,
    },
  }
}

function watchFor(need: RoleNeed, instance: string): WatchSpec {
  const slug = instance
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 30)
  const base = {
    key: `need.${need.role}.${slug}`.slice(0, 61),
    why: need.why,
    osFamilies: need.osFamily ? [need.osFamily] : [],
  }
  const quietly = (severity: string, values: Values) => ({ severity, ...values })
  switch (need.of.on) {
    case 'service':
      return {
        ...base,
        kind: 'service-state',
        name: `Service ${instance}`,
        values: quietly('critical', { which: 'named', names: [instance], expected: 'running' }),
      }
    case 'log':
      return {
        ...base,
        kind: 'log-match',
        name: `Errors in ${instance}`,
        values: quietly('warning', {
          channel: instance,
          level: 'error',
          count: 10,
          within: 10 * minute,
          quiet: 2 * hour,
        }),
      }
    case 'collector':
      return {
        ...base,
        kind: [...watchKinds.values()].find((kind) => kind.collector === instance)!.name,
        name: 'Certificates',
        values: {},
      }
  }
}

/**
 * What would close the gap on the target. A template that looks at the thing by name is assigned; where there is none,
 * a template “What a … needs” gets a watch for it.
 * @param roleName the role in words, for the name of that template
 */
export function remedyFor(
  gap: Omit<CoverageGap, 'trouble'>,
  target: Target,
  policy: Pick<Policy, 'templates'>,
  roleName: string,
): Remedy {
  const need = roleNeed(gap.need)
  const { of } = need
  const collected = (): Collecting | null => {
    if (of.on === 'service') return null
    return of.on === 'log' ? { logs: [gap.instance], collectors: [] } : { logs: [], collectors: [of.collector] }
  }
  const collect = gap.uncollected ? collected() : null
  if (!gap.unwatched) return { target, collect, template: null }
  const named = policy.templates.find((template) =>
    template.watches.some((spec) => looksAt(withDefaults(spec), need, gap.instance, {})),
  )
  if (named) return { target, collect, template: { id: named.id, name: named.name, add: null } }
  const name = `What a ${roleName} needs`
  return {
    target,
    collect,
    template: {
      id: policy.templates.find((template) => template.name === name)?.id ?? null,
      name,
      add: watchFor(need, gap.instance),
    },
  }
}

/** The policy as it would be with the remedy; numbers of what is still to be made are beyond all others. */
export function withRemedy(policy: Policy, { target, template }: Remedy, at: Millis): Policy {
  if (!template) return policy
  const id = template.id ?? 2_147_483_647
  const assignment: Assignment = {
    id: 2_147_483_647,
    templateId: id,
    target,
    rank: 100,
    values: {},
    dormant: false,
    reason: '',
    reviewAt: null,
    revision: 1,
    createdAt: at,
  }
  const extended = (before: Template): Template =>
    before.id === id && template.add
      ? { ...before, watches: [...before.watches.filter((watch) => watch.key !== template.add!.key), template.add] }
      : before
  const templates =
    template.id === null
      ? [
          ...policy.templates,
          {
            id,
            name: template.name,
            description: '',
            revision: 1,
            includes: [],
            watches: template.add ? [template.add] : [],
          },
        ]
      : policy.templates.map(extended)
  return { ...policy, templates, assignments: [...policy.assignments, assignment] }
}
