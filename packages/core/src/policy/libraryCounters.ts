import type { Target } from '../estate'
import { gigabyte, hour, minute } from '../units'
import type { LibraryTemplate, LibraryWatch } from './libraryTemplate'
import type { WatchSpec } from './template'

const any: WatchSpec['osFamilies'] = []
const role = (id: string): Target => ({ on: 'role', role: id })

/** Reads what a program counts, wherever it is installed. */
function read(program: string, title: string, severity: 'notice' | 'warning', why: string): LibraryWatch {
  return {
    key: `counters.${program}`,
    kind: 'program-counters',
    name: `Counters of ${title}`,
    why,
    osFamilies: any,
    values: { program, severity },
    reasons: {
      program: 'Where none of its services is installed, nothing is asked.',
      severity:
        severity === 'notice'
          ? 'Its page has to be set up once; until then its other watches say nothing.'
          : 'It tells by itself; when it does not, it most likely does nothing else either.',
    },
  }
}

const share = (key: string, counter: string, name: string): LibraryWatch => ({
  key,
  kind: 'counter-share',
  name,
  why: 'The next one that wants to connect is turned away, and nobody on the page knows why.',
  osFamilies: any,
  values: { counters: [counter], warning: 0.8, critical: 0.95, clear: 0.7 },
  reasons: {
    warning: 'A busy hour more, and it is full. 80 and 95 % are chosen, no source.',
    clear: 'A pool that gives back a few of them is no change.',
  },
})

/** What programs themselves say of how they do, where somebody can do something about it. */
export const counterTemplates: readonly LibraryTemplate[] = [
  {
    name: 'Web traffic',
    description: 'How busy a web server is, by its own counters.',
    suits: role('web'),
    watches: [
      read('nginx', 'nginx', 'notice', 'Requests and connections, to see what was asked of it when it was slow.'),
      read('apache', 'Apache', 'notice', 'Requests and workers, to see what was asked of it when it was slow.'),
      {
        key: 'apache.idle',
        kind: 'counter-number',
        name: 'No idle workers',
        why: 'Who comes now waits until another is served: it is slow, though CPU and memory are not used up.',
        osFamilies: any,
        values: { counters: ['apache: idle workers'], side: 'below', warning: 1, hold: 5 * minute },
        reasons: { warning: 'None is left.', hold: 'A moment of it passes unseen.' },
      },
    ],
  },
  {
    name: 'Database activity',
    description: 'How a database does, by its own views.',
    suits: role('database'),
    watches: [
      read('postgresql', 'PostgreSQL', 'warning', 'What waits, what is full, and how far a standby is behind.'),
      read('mariadb', 'MariaDB', 'warning', 'What waits, what is full, and how far a replica is behind.'),
      share('database.connections', '*: connections used', 'Connections used'),
      {
        key: 'database.longest',
        kind: 'counter-time',
        name: 'Long transaction',
        why: 'It holds back what would clear up behind all others, and what waits for its locks.',
        osFamilies: any,
        values: { counters: ['postgresql: longest transaction'], warning: 4 * hour },
        reasons: { warning: 'Longer than a nightly dump of a small house takes; chosen, no source.' },
      },
      {
        key: 'database.idle',
        kind: 'counter-time',
        name: 'Forgotten transaction',
        why: 'A program began and never ended it: nothing more comes of it, and its locks stay.',
        osFamilies: any,
        values: { counters: ['postgresql: idle in transaction'], warning: 30 * minute },
        reasons: { warning: 'No program thinks for so long; chosen, no source.' },
      },
      {
        key: 'database.numbers',
        kind: 'counter-share',
        name: 'Transaction numbers',
        why: 'When they run out, PostgreSQL takes no more writes until it has cleared up, which may take a day.',
        osFamilies: any,
        values: { counters: ['postgresql: transaction numbers used'], warning: 0.4, critical: 0.75 },
        reasons: {
          warning:
            'Its own clearing up begins at 200 million of 2,147 million (autovacuum_freeze_max_age), 9 %: at 40 % it does not get through.',
        },
      },
      {
        key: 'database.standby',
        kind: 'counter-bytes',
        name: 'Standby behind',
        why: 'What is not there yet is lost with this server.',
        osFamilies: any,
        values: { counters: ['postgresql: standby behind*'], warning: gigabyte, hold: 15 * minute },
        reasons: { warning: 'More than a large import is behind for a quarter of an hour; chosen, no source.' },
      },
      {
        key: 'database.replica',
        kind: 'counter-time',
        name: 'Replica behind',
        why: 'It answers with what was, and takes over with that.',
        osFamilies: any,
        values: {
          counters: ['postgresql: replay behind*', 'mariadb: replica behind*'],
          warning: 15 * minute,
          hold: 5 * minute,
        },
        reasons: { warning: 'Nightly work is caught up with in less; chosen, no source.' },
      },
      {
        key: 'database.replica.runs',
        kind: 'counter-number',
        name: 'Replica stands still',
        why: 'Replication ended with an error, and every day makes it longer to catch up.',
        osFamilies: any,
        values: { counters: ['mariadb: replica runs*'], side: 'below', critical: 1, hold: 5 * minute },
        reasons: { critical: 'It does not go on by itself.' },
      },
    ],
  },
  {
    name: 'Mail queue',
    description: 'Mail that does not go out.',
    suits: { on: 'kind', kind: 'server' },
    watches: [
      read('postfix', 'Postfix', 'notice', 'How much mail waits, and since when.'),
      read('exim', 'Exim', 'notice', 'How much mail waits, and since when.'),
      {
        key: 'mail.oldest',
        kind: 'counter-time',
        name: 'Mail that waits',
        why: 'Somebody waits for it, and hears of it when it is given up: after days.',
        osFamilies: any,
        values: { counters: ['postfix: oldest message', 'exim: oldest message'], warning: 4 * hour },
        reasons: {
          warning:
            'A server that cannot take it is tried again for 4 to 5 days (RFC 5321, section 4.5.4.1); after hours it is no short outage. 4 h is chosen, no source.',
        },
      },
      {
        key: 'mail.queue',
        kind: 'counter-number',
        name: 'Much mail waits',
        why: 'The way out is closed, or a machine sends what nobody wrote.',
        osFamilies: any,
        values: {
          counters: ['postfix: queue', 'exim: queue'],
          warning: 100,
          critical: 1000,
          clear: 50,
          hold: 15 * minute,
        },
        reasons: { warning: 'More than a small house writes in a quarter of an hour; chosen, no source.' },
      },
    ],
  },
  {
    name: 'Directory replication',
    description: 'Whether directory servers have what the others have.',
    suits: role('directory'),
    watches: [
      read('active-directory', 'Active Directory', 'warning', 'What it got from which other, and when.'),
      read('openldap', 'OpenLDAP', 'warning', 'What its providers have, and it has not.'),
      {
        key: 'directory.failures',
        kind: 'counter-number',
        name: 'Replication fails',
        why: 'A password that was changed here is not changed there.',
        osFamilies: any,
        values: { counters: ['active-directory: failures in a row*'], warning: 2 },
        reasons: { warning: 'The third in a row: one fails whenever the other is restarted.' },
      },
      {
        key: 'directory.stalled',
        kind: 'counter-time',
        name: 'Replication stalled',
        why: 'Changes wait at the provider, and none of them has come.',
        osFamilies: any,
        values: { counters: ['openldap: replication stalled*'], warning: 15 * minute },
        reasons: { warning: 'It comes within seconds, or after the next try; chosen, no source.' },
      },
      {
        key: 'directory.provider',
        kind: 'counter-number',
        name: 'Provider does not answer',
        why: 'What is changed meanwhile does not come.',
        osFamilies: any,
        values: { counters: ['openldap: provider answers*'], side: 'below', warning: 1, hold: 10 * minute },
        reasons: { hold: 'A restart passes.' },
      },
    ],
  },
]
