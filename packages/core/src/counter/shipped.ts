/** What is known of an ordinary program: where it tells of itself, and what. */
export interface ShippedProgram {
  name: string
  title: string
  from: string
  say?: string
  counters: readonly string[]
  /** Services that mean that it is there, with *. */
  services: readonly string[]
  /** What has to be set up for it; empty: nothing. */
  needs: string
}

/**
 * The ordinary programs. What each tells is what its own documentation says of the page, the view or the tool; each was
 * read off the program of Debian 12 and 13, but Active Directory's, which is from the documentation alone.
 */
export const shippedPrograms: readonly ShippedProgram[] = [
  {
    name: 'nginx',
    title: 'nginx',
    // ngx_http_stub_status_module
    from: 'http://127.0.0.1/nginx_status',
    counters: [
      'connections = after "Active connections:"',
      'waiting = after "Waiting:"',
      'writing = after "Writing:"',
      'requests = number 3 after "server accepts handled requests", per second',
    ],
    services: ['nginx'],
    needs:
      'a page of its own, in one of its servers: location = /nginx_status { stub_status; allow 127.0.0.1; deny all; }',
  },
  {
    name: 'apache',
    title: 'Apache',
    // mod_status
    from: 'http://127.0.0.1/server-status?auto',
    counters: [
      'busy workers = after "BusyWorkers:"',
      'idle workers = after "IdleWorkers:"',
      'requests = after "Total Accesses:", per second',
      'sent = after "Total kBytes:", KiB per second',
    ],
    services: ['apache2', 'httpd'],
    needs: 'its module mod_status, which Debian has on, for the machine itself.',
  },
  {
    name: 'postgresql',
    title: 'PostgreSQL',
    from: 'postgresql',
    counters: [
      'connections = /connections',
      'connections used = /used, share',
      'active = /active',
      'waiting for locks = /waiting',
      'longest transaction = /longest, seconds',
      'idle in transaction = /idle, seconds',
      'transaction numbers used = /numbers, share',
      'transactions = /databases/*/transactions, per second',
      'temporary files = /temporary, bytes per second',
      'standbys = /following',
      'standby behind = /standbys/*/behind, bytes',
      'replay behind = /replay/*, seconds',
    ],
    services: ['postgresql*'],
    needs: '',
  },
  {
    name: 'mariadb',
    title: 'MariaDB',
    from: 'mariadb',
    counters: [
      'connections = /Threads_connected',
      'connections used = /used, share',
      'running = /Threads_running',
      'questions = /Questions, per second',
      'slow = /Slow_queries, per second',
      'waiting for locks = /Innodb_row_lock_current_waits',
      'replica runs = /replica/*/runs',
      'replica behind = /replica/*/behind, seconds',
    ],
    services: ['mariadb*', 'mysql*'],
    needs: '',
  },
  {
    name: 'memcached',
    title: 'memcached',
    from: 'tcp:127.0.0.1:11211',
    say: 'stats',
    counters: [
      'connections = after "STAT curr_connections"',
      'gets = after "STAT cmd_get", per second',
      'misses = after "STAT get_misses", per second',
      'evictions = after "STAT evictions", per second',
      'used = after "STAT bytes", bytes',
    ],
    services: ['memcached'],
    needs: '',
  },
  {
    name: 'postfix',
    title: 'Postfix',
    from: 'postfix',
    counters: ['queue = /queued', 'deferred = /deferred', 'held = /hold', 'oldest message = /oldest, seconds'],
    services: ['postfix*'],
    needs: '',
  },
  {
    name: 'exim',
    title: 'Exim',
    from: 'exim',
    counters: ['queue = /queued', 'frozen = /frozen', 'oldest message = /oldest, seconds'],
    services: ['exim*'],
    needs: '',
  },
  {
    name: 'openldap',
    title: 'OpenLDAP',
    from: 'openldap',
    counters: ['provider answers = /providers/*/answers', 'replication stalled = /providers/*/stalled, seconds'],
    services: ['slapd'],
    needs: 'ldap-utils, and a provider that lets everybody read contextCSN, as Debian’s does.',
  },
  {
    name: 'active-directory',
    title: 'Active Directory',
    from: 'active-directory',
    counters: ['failures in a row = /partners/*/failures', 'last success = /partners/*/success, ago'],
    services: ['NTDS'],
    needs: '',
  },
]

export const shippedProgram = (name: string): ShippedProgram | null =>
  shippedPrograms.find((program) => program.name === name) ?? null
