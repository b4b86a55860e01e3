import { PlainError } from './say.mjs'

const commands = /** @type {Record<string, () => Promise<unknown>>} */ ({
  demo: async () => (await import('./demo.mjs')).demo(),
  dev: async () => (await import('./dev.mjs')).dev(),
  test: async () => (await import('./test.mjs')).test(),
  bench: async () => (await import('./bench.mjs')).bench(),
  build: async () => (await import('./build.mjs')).buildAll(),
  stop: async () => (await import('./demo.mjs')).stopDemo(),
  reset: async () => (await import('./demo.mjs')).reset(),
  status: async () => (await import('./status.mjs')).status(),
  backup: async () => (await import('./backup.mjs')).backup(),
  restore: async () => (await import('./backup.mjs')).restore(),
  'release-key': async () => (await import('./releaseKey.mjs')).releaseKey(),
  policy: async () => (await import('./policy.mjs')).policy(),
})

const usage = `usage: ./custode COMMAND
  demo    start Custode with demo data, one real agent and a fleet of stand-in devices; --real-hosts N boots real Debian hosts beside them,
          --servers 2 runs two servers on one database; CUSTODE_ESTATE=2000 makes a large estate instead
  test    run every check and test
  bench   measure, as ratios to a bare ceiling; --json FILE writes the figures too
  dev     like demo, and the web application reloads as you change it
  stop    end what a broken-off run left behind
  reset   forget the demo's data
  status  what runs, how large its data is, how it grows and how long it is kept; of another server with CUSTODE_DATABASE
  backup FILE         save the database and the keys into one file, while the server goes on; of CUSTODE_DATABASE and CUSTODE_KEYS
  restore FILE        bring them back, into an empty database and an empty folder
  release-key         make the key that signs programs for agents, and say where it lies; “release-key renew” changes it
  policy check FILE   what is wrong with policy as text, by line, and what it would change; 0 when nothing is wrong, else 1
  policy export       print the policy in force as text
`
const name = process.argv[2] ?? ''
const command = commands[name]
if (!command) {
  process.stdout.write(usage)
  process.exit(['', 'help', '--help', '-h'].includes(name) ? 0 : 2)
}
try {
  await command()
  process.exit()
} catch (error) {
  if (error instanceof PlainError) process.stderr.write(`\n${error.message}\n`)
  else process.stderr.write(`\n${/** @type {Error} */ (error).stack}\n`)
  process.exit(1)
}
