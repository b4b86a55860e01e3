import type { Target } from '../estate'
import { day, gigabyte, hour, minute } from '../units'
import { counterTemplates } from './libraryCounters'
import type { LibraryTemplate, LibraryWatch } from './libraryTemplate'
import type { TemplateBody, WatchSpec } from './template'

const any: WatchSpec['osFamilies'] = []
const linux: WatchSpec['osFamilies'] = ['linux']
const windows: WatchSpec['osFamilies'] = ['windows']
const role = (id: string): Target => ({ on: 'role', role: id })
const kind = (name: 'server' | 'workstation' | 'network' | 'power' | 'address'): Target => ({ on: 'kind', kind: name })

/** A service that the role is nothing without. */
function service(key: string, name: string, why: string, names: string[], tries: number | null = 3): LibraryWatch {
  return {
    key,
    kind: 'service-state',
    name,
    why,
    osFamilies: any,
    values: {
      which: 'named',
      names,
      expected: 'running',
      severity: 'critical',
      hold: minute,
      'clear.hold': minute,
      ...(tries === null ? {} : { tries }),
    },
    reasons: {
      which: 'Named, because it counts whatever its start is set to.',
      names: 'As Debian and Windows Server call it; leave out what you do not run.',
      severity: 'Its users are without it at once.',
      hold: 'A restart passes within a minute (common practice, no source).',
      ...(tries === null
        ? {}
        : {
            tries:
              'Three tries are common practice, no source; most of what stops comes up again, and nobody has to get up for it.',
          }),
    },
  }
}

/** What keeps all other watches from seeing anything: on by default wherever there is an agent. */
const agentWatches: readonly LibraryWatch[] = [
  {
    key: 'agent.collectors',
    kind: 'collector-fails',
    name: 'Parts that cannot be read',
    why: 'What is not read is not watched: no alert is no news then.',
    osFamilies: any,
    values: { severity: 'warning', hold: 10 * minute },
    reasons: {
      severity: 'Nothing is known to be broken; nothing is known to be well either.',
      hold: 'A look may fail while packages are updated.',
    },
  },
  {
    key: 'agent.identity',
    kind: 'identity-shared',
    name: 'Two machines as one',
    why: 'A clone reports in place of its original, and one of them is not watched.',
    osFamilies: any,
    values: { severity: 'critical' },
    reasons: { severity: 'One machine is without any watch until somebody enrols it anew.' },
  },
]

/** A drive that says that it will fail leaves time to copy what is on it. */
const drives: LibraryWatch = {
  key: 'drives',
  kind: 'drive-health',
  name: 'Drives',
  why: 'A drive that says that it will fail leaves time to copy what is on it, and to order the next one.',
  osFamilies: any,
  values: { failing: 'critical', sectors: 'warning', wear: 'warning', array: 'critical', rebuilding: 'warning' },
  reasons: {
    failing: 'Its own verdict comes late, and is seldom wrong.',
    sectors: 'After its first one a drive is 39 times as likely to fail within 60 days (Pinheiro and others, 2007).',
    wear: 'There is time to order the next one.',
    array: 'The next drive that fails may take the data along.',
    rebuilding: 'Until it is done the next one may.',
  },
}

/** By the word of the system itself; how far it is off, only those see who hear it. */
const clockKept: LibraryWatch = {
  key: 'clock',
  kind: 'clock-kept',
  name: 'Clock',
  why: 'Sign-ins by ticket, certificates and the times of all logs go by it.',
  osFamilies: any,
  values: { hold: hour },
  reasons: { hold: 'After a start, and while a server of time is away, it goes on well enough for a while.' },
}

/** Templates to start from: small on purpose, because every watch that leads to no action costs attention. */
export const libraryTemplates: readonly LibraryTemplate[] = [
  {
    name: 'Base server',
    description: 'What any server needs, and nothing that does not lead to an action.',
    suits: kind('server'),
    watches: [
      {
        key: 'silence',
        kind: 'silence',
        name: 'Silence',
        why: 'A server that stops reporting may be down.',
        osFamilies: any,
        values: { after: 5 * minute, severity: 'critical' },
        reasons: {
          after: 'Longer than a restart with its checks of disks usually takes.',
          severity: 'Nothing else of it can be seen any more.',
        },
      },
      {
        key: 'disk.space',
        kind: 'disk-space',
        name: 'Free disk space',
        why: 'Percentage alone raises false alarms on large disks, so both must be true.',
        osFamilies: any,
        values: {
          except: ['/boot*', '/snap/*'],
          'warning.percent': 0.1,
          'warning.bytes': 20 * gigabyte,
          'critical.percent': 0.05,
          'critical.bytes': 10 * gigabyte,
          'warning.soon': 5 * day,
          'critical.soon': day,
          hold: 15 * minute,
          'clear.percent': 0.12,
          'clear.bytes': 24 * gigabyte,
          'clear.left': 7 * day,
        },
        reasons: {
          'warning.soon': 'A weekend lies within it: time to order a disk, or to ask what may go.',
          'critical.soon': 'It has to be done today.',
          'clear.left': 'A little more, so that it does not come and go with each day.',
          except: 'Boot partitions are small and do not grow; snap images are always full.',
          'warning.percent': '10 % is common practice, no source.',
          'warning.bytes': '8 % of a very large disk is plenty.',
          'critical.bytes': 'Room for a night of logs, usually.',
          hold: 'A copy that is deleted again raises nothing.',
          'clear.percent': 'A little above, so that it does not come and go.',
        },
      },
      {
        key: 'disk.inodes',
        kind: 'disk-inodes',
        name: 'Free inodes',
        why: 'Without one nothing can be written, however many bytes are free; spools of mail and sessions use them up.',
        osFamilies: linux,
        values: { except: ['/boot*', '/snap/*'], warning: 0.1, critical: 0.03 },
        reasons: {
          except: 'Boot partitions do not grow; snap images are always full.',
          warning: '10 % is common practice, no source.',
        },
      },
      {
        key: 'disk.read-only',
        kind: 'disk-read-only',
        name: 'Read-only disks',
        why: 'After an error the system protects what is there: what runs on it has stopped working, and says little.',
        osFamilies: linux,
        values: { fault: 'critical', changed: 'warning' },
        reasons: {
          fault: 'Nothing is saved any more.',
          changed: 'Somebody has not turned back from some work.',
        },
      },
      drives,
      {
        key: 'services',
        kind: 'service-state',
        name: 'Services',
        why: 'Starts that happen on demand or late do not count as stopped.',
        osFamilies: any,
        values: { except: ['*updater*', '*edgeupdate*'], severity: 'critical', hold: minute, 'clear.hold': minute },
        reasons: {
          except: 'Updaters stop themselves when they are done.',
          hold: '60 s is common practice, no source; a restart passes within it.',
          severity: 'A server does its work through its services.',
        },
      },
      {
        key: 'updates',
        kind: 'updates',
        name: 'Updates',
        why: 'A security update that waits for a week is a decision nobody took.',
        osFamilies: any,
        values: {
          security: 'critical',
          'security.after': 7 * day,
          other: 'notice',
          'other.after': 30 * day,
          held: 'notice',
          'held.after': 30 * day,
          lists: 'warning',
          'lists.after': 7 * day,
          refresh: 'warning',
          'refresh.after': 2 * day,
          restart: 'notice',
          'restart.after': 14 * day,
          outdated: 'notice',
          'outdated.after': 7 * day,
        },
        reasons: {
          lists: 'From old lists nobody learns of new updates.',
          'lists.after': 'Debian fetches them every day by itself; a week without is a fault.',
          security: 'Critical is common practice, no source.',
          'security.after': 'One weekly round of maintenance fits in.',
          other: 'They hurt nobody by waiting.',
          'other.after': 'One monthly round fits in.',
          held: 'A hold outlives its reason: somebody looks once a month whether it is needed still.',
          refresh: 'One archive that fails is enough: of its updates nobody learns.',
          restart: 'What the update mended stays open until then.',
          'restart.after': 'Two weekly rounds of maintenance fit in.',
          outdated: 'The service is restarted, or what the update mended stays open.',
          'outdated.after': 'One weekly round of maintenance fits in.',
        },
      },
      {
        key: 'cpu',
        kind: 'cpu-busy',
        name: 'CPU',
        why: 'A quarter of an hour at the limit is felt by users.',
        osFamilies: any,
        values: {},
        reasons: {},
      },
      {
        key: 'memory',
        kind: 'memory-available',
        name: 'Memory',
        why: 'Little left means swapping next.',
        osFamilies: any,
        values: {},
        reasons: {},
      },
      {
        key: 'paging',
        kind: 'paging',
        name: 'Swapping',
        why: 'A machine that swaps is slow at once.',
        osFamilies: any,
        values: {},
        reasons: {},
      },
      {
        key: 'load',
        kind: 'load',
        name: 'Load',
        why: 'More work than cores, for long.',
        osFamilies: linux,
        values: {},
        reasons: {},
      },
      {
        key: 'drive.latency',
        kind: 'drive-latency',
        name: 'Slow drives',
        why: 'Everything on it is slow then: somebody looks what asks so much of it, or whether it is dying.',
        osFamilies: any,
        values: { warning: 100, critical: 500, hold: 30 * minute, clear: 50 },
        reasons: {
          warning: 'A drive that turns is at 10 to 30 ms under ordinary work; chosen, no source.',
          critical: 'Half a second for each access: nobody can work.',
          hold: 'A nightly backup may be slow for a while.',
        },
      },
      {
        key: 'temperature',
        kind: 'temperature',
        name: 'Temperature',
        why: 'A fan stands still, or the room is hot: there is time to go there before it switches itself off.',
        osFamilies: any,
        values: {},
        reasons: {},
      },
      {
        key: 'log.disk-errors',
        kind: 'log-match',
        name: 'Disk errors in the log',
        why: 'The driver complains before the disk fails.',
        osFamilies: windows,
        values: {
          channel: 'System',
          source: 'disk',
          level: 'error',
          count: 3,
          within: 10 * minute,
          severity: 'warning',
          quiet: 6 * hour,
        },
        reasons: {
          count: 'One can be a loose stick; three are a disk.',
          quiet: 'One alert a shift is enough to order a disk.',
        },
      },
      {
        key: 'log.kernel',
        kind: 'log-match',
        name: 'Kernel errors in the log',
        why: 'I/O errors and killed processes show here first.',
        osFamilies: linux,
        values: {
          source: 'kernel',
          level: 'error',
          count: 3,
          within: 10 * minute,
          severity: 'warning',
          quiet: 6 * hour,
        },
        reasons: {
          level: 'Warnings of the kernel are many and mean little.',
          count: 'Single ones happen while hardware is found.',
        },
      },
      clockKept,
      ...agentWatches,
    ],
  },
  {
    name: 'Base workstation',
    description: 'Workstations are switched off at night; only what a technician would act on.',
    suits: kind('workstation'),
    watches: [
      {
        key: 'disk.space',
        kind: 'disk-space',
        name: 'Free disk space',
        why: 'A full system disk stops updates first.',
        osFamilies: any,
        values: {
          'warning.percent': 0.08,
          'warning.bytes': 10 * gigabyte,
          'critical.percent': 0.03,
          'critical.bytes': 4 * gigabyte,
          hold: 30 * minute,
          'clear.percent': 0.1,
          'clear.bytes': 14 * gigabyte,
        },
        reasons: {
          'warning.bytes': 'A feature update of Windows needs about that much.',
          hold: 'People copy things and delete them again.',
        },
      },
      drives,
      {
        key: 'updates',
        kind: 'updates',
        name: 'Updates',
        why: 'Two weeks leave room for a holiday.',
        osFamilies: any,
        values: { security: 'warning', 'security.after': 14 * day, other: 'nothing' },
        reasons: {
          'security.after': 'A machine that was off for a holiday catches up by itself.',
          other: 'Nobody drives out for them.',
        },
      },
      ...agentWatches,
    ],
  },
  {
    name: 'Web server',
    description: 'The service that answers, and the room its logs need.',
    suits: role('web'),
    watches: [
      service('services.web', 'Web service', 'Nobody is served without it, whatever its start is set to.', [
        'nginx',
        'apache2',
        'W3SVC',
      ]),
    ],
  },
  {
    name: 'Database server',
    description: 'Databases stop hard when their disk is full, so it is said earlier.',
    suits: role('database'),
    watches: [
      {
        key: 'disk.space',
        kind: 'disk-space',
        name: 'Free disk space',
        why: 'A database needs room to recover in.',
        osFamilies: any,
        values: {
          'warning.percent': 0.2,
          'warning.bytes': 50 * gigabyte,
          'clear.percent': 0.22,
          'clear.bytes': 60 * gigabyte,
        },
        reasons: {
          'warning.percent': 'A vacuum or a rebuilt index needs a copy of the largest table.',
          'clear.percent': 'A little above the threshold.',
        },
      },
      service(
        'services.database',
        'Database service',
        'Everything else waits for it. One that stopped is looked at before it is started: its files may be damaged.',
        ['postgresql*', 'mariadb*', 'MSSQL*'],
        null,
      ),
    ],
  },
  {
    name: 'Directory server',
    description: 'Nobody signs in and no name is found without it.',
    suits: role('directory'),
    watches: [
      service(
        'services.directory',
        'Directory service',
        'Sign-in, names and policies of the whole site come from here.',
        ['NTDS', 'DNS', 'Kdc', 'Netlogon', 'slapd', 'samba-ad-dc'],
      ),
      {
        key: 'log.directory',
        kind: 'log-match',
        name: 'Errors of the directory',
        why: 'Replication that fails shows here long before users notice.',
        osFamilies: windows,
        values: {
          channel: 'Directory Service',
          level: 'error',
          count: 3,
          within: hour,
          severity: 'warning',
          quiet: 12 * hour,
        },
        reasons: {
          count: 'A partner that restarts leaves one or two.',
          within: 'Replication is tried again every quarter of an hour or so.',
        },
      },
    ],
  },
  {
    name: 'Print server',
    description: 'The spooler, and room for what waits in it.',
    suits: role('print'),
    watches: [service('services.print', 'Print service', 'Paper is how some shops work.', ['Spooler', 'cups'])],
  },
  {
    name: 'File server',
    description: 'The share, and a disk that fills by what people put on it.',
    suits: role('file'),
    watches: [
      service('services.file', 'File service', 'Everybody’s work is on it.', [
        'LanmanServer',
        'smbd',
        'nfs-server',
        'nfs-kernel-server',
      ]),
      {
        key: 'disk.space',
        kind: 'disk-space',
        name: 'Free disk space',
        why: 'People fill shares by themselves, a little every day.',
        osFamilies: any,
        values: {
          'warning.percent': 0.12,
          'warning.bytes': 100 * gigabyte,
          'clear.percent': 0.14,
          'clear.bytes': 120 * gigabyte,
        },
        reasons: { 'warning.bytes': 'Time to talk with the client about it before it is needed.' },
      },
    ],
  },
  {
    name: 'Backup host',
    description: 'The nightly run has to say that it went well.',
    suits: role('backup'),
    watches: [
      {
        key: 'log.backup',
        kind: 'log-absence',
        name: 'Nightly backup',
        why: 'A backup that fails silently is found on the day it is needed.',
        osFamilies: any,
        values: { source: 'nightly-backup', text: 'completed', period: day + 2 * hour, severity: 'critical' },
        reasons: {
          period: 'A day, and two hours for a night with more to do.',
          text: 'Only success counts: a run that says nothing has failed.',
        },
      },
    ],
  },
  {
    name: 'Virtualisation host',
    description: 'Many machines stand on it, so it is told early.',
    suits: role('virtualisation'),
    watches: [
      service(
        'services.virtualisation',
        'Virtualisation service',
        'No machine on it can be started or moved without it.',
        ['libvirtd', 'virtqemud', 'vmms', 'vmcompute'],
      ),
      {
        key: 'memory',
        kind: 'memory-available',
        name: 'Memory',
        why: 'A host that swaps slows down every machine on it.',
        osFamilies: any,
        values: { warning: 0.08, critical: 0.04 },
        reasons: {
          warning: 'Room to start one more machine after another host fails.',
          critical: 'From here on the host takes memory from its machines.',
        },
      },
    ],
  },
  {
    name: 'Network gear',
    description: 'Gear that stops being heard takes everything behind it along.',
    suits: kind('network'),
    watches: [
      {
        key: 'silence',
        kind: 'silence',
        name: 'Silence',
        why: 'A switch that is not heard is down, or what leads to it is.',
        osFamilies: any,
        values: { after: 3 * minute, severity: 'critical' },
        reasons: { after: 'Gear restarts faster than servers.' },
      },
      {
        key: 'reach.ping',
        kind: 'reach-ping',
        name: 'Ping',
        why: 'Gear without an agent is seen from the servers of its site.',
        osFamilies: any,
        values: {},
        reasons: {},
      },
    ],
  },
  {
    name: 'Page outside',
    description:
      'A page that others keep, or that everybody sees: whether it can be had, and until when its certificate is good.',
    suits: kind('address'),
    watches: [
      {
        key: 'reach.page',
        kind: 'reach-page',
        name: 'Page',
        why: 'Customers meet it before anybody here does.',
        osFamilies: any,
        values: {},
        reasons: {},
      },
      {
        key: 'reach.certificate',
        kind: 'reach-certificate',
        name: 'Certificate',
        why: 'From its last day on every browser refuses the page.',
        osFamilies: any,
        values: {},
        reasons: {},
      },
    ],
  },
  {
    name: 'Protection',
    description: 'What keeps others out, and what finds what came in all the same.',
    suits: kind('workstation'),
    watches: [
      {
        key: 'antivirus',
        kind: 'antivirus',
        name: 'Antivirus',
        why: 'It is switched off by what it should find, or by somebody whom it was in the way of.',
        osFamilies: windows,
        values: { off: 'critical', none: 'warning', old: 'warning', age: 3 * day },
        reasons: {
          off: 'Nothing looks at what is opened from now on.',
          age: 'New ones come several times a day; three days leave room for a weekend (common practice, no source).',
        },
      },
      {
        key: 'firewall',
        kind: 'firewall',
        name: 'Firewall',
        why: 'Whatever listens can be reached by whoever is in the same network.',
        osFamilies: any,
        values: { severity: 'warning' },
        reasons: { severity: 'Somebody else has to be in the network already: today, not tonight.' },
      },
      clockKept,
    ],
  },
  {
    name: 'Sign-ins',
    description: 'Who came in and stayed, and who tries to.',
    suits: kind('server'),
    watches: [
      {
        key: 'sessions.long',
        kind: 'session-long',
        name: 'Signed in for long',
        why: 'A session that somebody forgot is another way in.',
        osFamilies: any,
        values: { after: 12 * hour, severity: 'notice' },
        reasons: { after: 'Longer than a working day (common practice, no source).' },
      },
      {
        key: 'log.sign-ins',
        kind: 'log-match',
        name: 'Failed sign-ins over SSH',
        why: 'Somebody tries passwords: let in keys alone, or known addresses.',
        osFamilies: linux,
        values: { text: 'Failed password for', count: 10, within: 10 * minute, severity: 'warning', quiet: hour },
        reasons: {
          text: 'As OpenSSH writes it; where passwords are off nobody gets that far.',
          count: 'Somebody who mistypes gives up before (chosen, no source).',
        },
      },
      {
        key: 'log.logons',
        kind: 'log-match',
        name: 'Failed sign-ins',
        why: 'Somebody tries passwords, or a service has an old one.',
        osFamilies: windows,
        values: { channel: 'Security', id: 4625, count: 10, within: 10 * minute, severity: 'warning', quiet: hour },
        reasons: {
          id: 'The number of an account that failed to log on; the log Security is read where a watch asks for it.',
          count: 'Somebody who mistypes gives up before (chosen, no source).',
        },
      },
    ],
  },
  {
    name: 'Shared desktops',
    description: 'A host that several people work on at once.',
    suits: kind('server'),
    watches: [
      {
        key: 'sessions.count',
        kind: 'session-count',
        name: 'Many sessions',
        why: 'Beyond what it carries all of them become slow.',
        osFamilies: any,
        values: {},
        reasons: {},
      },
      {
        key: 'sessions.slow',
        kind: 'session-latency',
        name: 'Slow way to a session',
        why: 'They call because it is slow; then one knows whether it is the way or the host.',
        osFamilies: any,
        values: {},
        reasons: {},
      },
      {
        key: 'sessions.closed',
        kind: 'sign-ins-closed',
        name: 'Takes no new sign-ins',
        why: 'It was emptied for work on it, and nobody opened it again.',
        osFamilies: any,
        values: { hold: 2 * hour },
        reasons: { hold: 'Longer than such work takes (common practice, no source).' },
      },
    ],
  },
  {
    name: 'Carried machines',
    description: 'What has to be so before a machine is taken along, or stands where others come by.',
    suits: kind('workstation'),
    watches: [
      {
        key: 'encryption',
        kind: 'encryption',
        name: 'Disk encryption',
        why: 'Whoever finds it, or takes it along, reads what is on it.',
        osFamilies: any,
        values: { severity: 'warning' },
        reasons: { severity: 'It can be made good while the machine is still there.' },
      },
    ],
  },
  ...counterTemplates,
  {
    name: 'Unusual load',
    description: 'A server that is not as it usually is at that hour of the week, by its own past.',
    suits: kind('server'),
    watches: [
      {
        key: 'unusual.cpu',
        kind: 'unusual-cpu',
        name: 'CPU unlike itself',
        why: 'A program in a loop at night, or work that is not the house’s own, lies far below any fixed level.',
        osFamilies: any,
        values: { sensitivity: 'low', todo: 'Look at what used the CPU then, on the page of its readings.' },
        reasons: { sensitivity: 'On made and real series it found most such programs, and told hardly anything else.' },
      },
      {
        key: 'unusual.memory',
        kind: 'unusual-memory',
        name: 'Memory unlike itself',
        why: 'What takes memory and does not give it back is seen days before the rest is short.',
        osFamilies: any,
        values: { sensitivity: 'low' },
        reasons: { sensitivity: 'Half a working day more or less is ordinary.' },
      },
      {
        key: 'unusual.sent',
        kind: 'unusual-sent',
        name: 'Sent unlike itself',
        why: 'Much that leaves a server at an hour at which nothing else does is worth a question.',
        osFamilies: any,
        values: { sensitivity: 'low', severity: 'warning' },
        reasons: {
          sensitivity: 'Restores and first copies are rare, and large.',
          severity: 'Data that leaves cannot be had back: today, not this week.',
        },
      },
    ],
  },
  {
    name: 'Power supply',
    description: 'It has to be heard when the lights go out, not only before.',
    suits: kind('power'),
    watches: [
      {
        key: 'silence',
        kind: 'silence',
        name: 'Silence',
        why: 'One that is not heard protects nobody that one could count on.',
        osFamilies: any,
        values: { after: 10 * minute, severity: 'warning' },
        reasons: {
          after: 'Management cards restart by themselves now and then.',
          severity: 'The machines behind it still run.',
        },
      },
    ],
  },
]

/** A template of the library as it is saved: the reasons stay behind. */
export function fromLibrary({ name, description, watches }: LibraryTemplate): TemplateBody {
  return { name, description, includes: [], watches: watches.map(({ reasons: _left, ...watch }) => watch) }
}
