import { spawnSync } from 'node:child_process'
import {
  closeSync,
  cpSync,
  existsSync,
  fsyncSync,
  mkdirSync,
  mkdtempSync,
  openSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { ensurePostgres } from './debian.mjs'
import { root } from './place.mjs'
import { PlainError, step } from './say.mjs'

/**
 * What is saved and where it goes back to: a database, and the folder of keys without which its secrets stay sealed.
 */
function settings() {
  const { CUSTODE_DATABASE: database, CUSTODE_KEYS: keys } = process.env
  if (!database || !keys)
    throw new PlainError(
      'CUSTODE_DATABASE and CUSTODE_KEYS name what to save, as the server gets them: the address of the database, and the folder of keys. Under systemd: systemctl show custode -p Environment, or its EnvironmentFile.',
    )
  return { database, keys }
}

/** @param {string} what @returns {string} */
function fileWanted(what) {
  const file = process.argv[3]
  if (!file || process.argv[4]) throw new PlainError(`usage: ./custode ${what} FILE`)
  return resolve(file)
}

/**
 * The password goes by the environment: other users of the machine can read the words of a command.
 * @param {string} url @returns {{ name: string, env: Record<string, string | undefined> }}
 */
function connection(url) {
  const { hostname, port, username, password, pathname } = new URL(url)
  return {
    name: decodeURIComponent(pathname.slice(1)),
    env: {
      ...process.env,
      PGHOST: hostname,
      PGPORT: port || '5432',
      PGUSER: decodeURIComponent(username),
      PGPASSWORD: decodeURIComponent(password),
      PGDATABASE: decodeURIComponent(pathname.slice(1)),
    },
  }
}

/** @param {string} program @param {string[]} words @param {Record<string, string | undefined>} env */
function run(program, words, env) {
  const { status, stdout, stderr, error } = spawnSync(program, words, { encoding: 'utf8', env, maxBuffer: 64e6 })
  if (status !== 0)
    throw new PlainError(`${program} failed: ${(stderr || String(error)).trim().split('\n').slice(-3).join('\n')}`)
  return stdout
}

const about = 'custode-backup.json'
const dump = 'database.dump'

/** Saves everything into one file, while the server goes on. */
export async function backup() {
  const file = fileWanted('backup')
  const { database, keys } = settings()
  if (!existsSync(keys)) throw new PlainError(`There is no folder ${keys}.`)
  const programs = ensurePostgres()
  const folder = mkdtempSync(join(dirname(file), '.custode-backup-'))
  try {
    step('saving the database…')
    // One state of it, as of one moment (PostgreSQL, pg_dump).
    run(
      `${programs}/pg_dump`,
      ['--format=custom', '--no-owner', `--file=${join(folder, dump)}`],
      connection(database).env,
    )
    step('saving the keys…')
    cpSync(keys, join(folder, 'keys'), { recursive: true })
    const { version } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'))
    writeFileSync(join(folder, about), JSON.stringify({ version, at: new Date().toISOString() }))
    const part = `${file}.part`
    // Nobody else reads it: it has every secret and what opens them.
    closeSync(openSync(part, 'w', 0o600))
    run('tar', ['--create', '--file', part, '--directory', folder, about, dump, 'keys'], process.env)
    const written = openSync(part, 'r')
    fsyncSync(written)
    closeSync(written)
    renameSync(part, file)
    step(`saved: ${file}. It holds the keys of the house: keep it where nobody else reads it.`)
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

/** Brings everything back, into a database and a folder that are empty. */
export async function restore() {
  const file = fileWanted('restore')
  const { database, keys } = settings()
  if (!existsSync(file)) throw new PlainError(`There is no file ${file}.`)
  if (existsSync(keys) && readdirSync(keys).length)
    throw new PlainError(
      `The folder ${keys} has keys in it already. Restore into an empty one: nothing is overwritten.`,
    )
  const programs = ensurePostgres()
  const { env, name } = connection(database)
  const tables = run(
    `${programs}/psql`,
    ['--no-psqlrc', '--tuples-only', '--command', `select count(*) from pg_tables where schemaname = 'public'`],
    env,
  )
  if (Number(tables) > 0)
    throw new PlainError(`The database ${name} has tables already. Restore into an empty one: nothing is overwritten.`)
  const folder = mkdtempSync(join(dirname(file), '.custode-restore-'))
  try {
    run('tar', ['--extract', '--file', file, '--directory', folder, '--no-same-owner'], process.env)
    if (!existsSync(join(folder, about)) || !existsSync(join(folder, dump)))
      throw new PlainError(`${file} is no backup of Custode.`)
    step('bringing the database back…')
    run(
      `${programs}/pg_restore`,
      ['--no-owner', '--exit-on-error', '--single-transaction', `--dbname=${name}`, join(folder, dump)],
      env,
    )
    step('bringing the keys back…')
    mkdirSync(keys, { recursive: true, mode: 0o700 })
    cpSync(join(folder, 'keys'), keys, { recursive: true })
    const { version, at } = JSON.parse(readFileSync(join(folder, about), 'utf8'))
    step(
      `restored what version ${version} saved at ${at}. Give ${keys} to the user that the server runs as, and start it.`,
    )
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}
