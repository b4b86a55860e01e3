import { existsSync, readdirSync } from 'node:fs'
import { join } from 'node:path'
import { day, hour, minute, second, type Facts, type Millis, type OutdatedProgram, type Updates } from '#core'
import { steady } from '../../clock'
import { NotHereError, type Collect } from '../collector'
import { commandEnded } from '../command'
import { countUpdates, FirstSeen } from '../firstSeen'
import type { PackageManager } from '../packageManager'
import { aptManager } from './packages/apt'
import { outdatedPrograms, parseReplaced } from './packages/outdated'
import { rpmManager } from './packages/rpm'
import { parseFetched, toldByRoot, whyNot, type Fetched } from './packages/told'

const firstPause: Millis = 5 * minute
const longestPause: Millis = 6 * hour
/** While packages are being installed their list changes again and again. */
const settled: Millis = 30 * second
/** What root's script wrote longer ago is not how it is now. */
const oldAfter: Millis = 3 * hour

/** The package manager that keeps this machine up to date; null: none that is known here. */
function managerHere(fetched: () => Fetched | null): PackageManager | null {
  const has = (name: string) => ['/usr/bin', '/bin', '/usr/sbin'].some((folder) => existsSync(join(folder, name)))
  if (has('apt-get')) return aptManager(fetched)
  const name = (['dnf', 'zypper'] as const).find(has)
  return name ? rpmManager(name, toldByRoot) : null
}

/** By what root's script has seen; an agent that runs as root looks itself. Undefined: nobody could look. */
async function replacedFiles(isRoot: boolean): Promise<{ text: string; age: Millis } | undefined> {
  const told = toldByRoot('replaced')
  const age = told ? Date.now() - told.at : 0
  if (told) return age < oldAfter ? { text: told.text, age } : undefined
  if (!isRoot) return undefined
  const maps = readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .map((name) => `/proc/${name}/maps`)
  return { text: (await commandEnded('grep', ['-sH', '^[^ ]* ..x. .* (deleted)$', ...maps])).output, age }
}

/**
 * Looks once a day, and again when packages or lists have changed. After a failure it waits, longer each time, and
 * goes on failing with the same reason: what is not known is not "none".
 * @param refresh fetch the package lists first; needs root and a network; where systemd runs a script of root's does it
 */
export function updatesCollector(home: string | null, refresh: boolean): Collect {
  const seen = new FirstSeen(home === null ? null : join(home, 'updates-seen.json'))
  const isRoot = process.getuid?.() === 0
  let own: Fetched | null = null
  const fetched = () => {
    const told = toldByRoot('fetched')
    return (told && parseFetched(told.text)) ?? own
  }
  let latest: { updates: Updates; waiting: NonNullable<Facts['waiting']>; at: Millis; mark: string } | null = null
  let failure: { error: Error; until: Millis; pause: Millis; mark: string } | null = null

  let fetchedAt: Millis | null = null
  /** Where no script of root's does it. */
  async function fetchLists(now: Millis): Promise<void> {
    if (!refresh || !isRoot || !existsSync('/usr/bin/apt-get')) return
    if (fetchedAt !== null && steady() - fetchedAt < (own?.failure ? hour : day)) return
    fetchedAt = steady()
    const { status, output, words } = await commandEnded(
      'apt-get',
      ['--quiet', '-o', 'APT::Update::Error-Mode=any', 'update'],
      5 * minute,
    ).catch((error: unknown) => ({ status: 1, output: '', words: (error as Error).message }))
    const since = own?.failure?.since ?? now
    own =
      status === 0
        ? { at: now, failure: null }
        : { at: own?.at ?? null, failure: { since, reason: whyNot(`${output}\n${words}`) } }
  }

  /** What changes without packages and lists. */
  async function around(manager: PackageManager, now: Millis): Promise<Partial<Updates>> {
    const restartPending = manager.restartPending()
    const replaced = await replacedFiles(isRoot).catch(() => undefined)
    const programs = replaced && outdatedPrograms(parseReplaced(replaced.text), replaced.age)
    const times =
      programs &&
      seen.outdated(
        programs.map(({ name }) => name),
        now,
      )
    const outdated = programs?.map((program): OutdatedProgram => ({ ...program, since: times!.get(program.name)! }))
    const found = manager.refresh()
    // What root's script remembers goes with each start of the machine.
    const failing = found === undefined ? null : seen.state('refresh', found !== null, found?.since ?? now)
    return {
      restartPending,
      restartSince: seen.state('restart', restartPending, now),
      listsAt: manager.listsAt(),
      ...(outdated ? { outdated } : {}),
      ...(found === undefined ? {} : { refresh: found && { ...found, since: Math.min(found.since, failing!) } }),
    }
  }

  return {
    name: 'updates',
    async collect(now) {
      const manager = managerHere(fetched)
      if (!manager) throw new NotHereError('neither apt, dnf nor zypper is here: nobody can tell what waits')
      const at = steady()
      await fetchLists(now)
      const mark = manager.mark()
      // What has changed since may have been the reason.
      if (failure && at < failure.until && mark === failure.mark) throw failure.error
      const isFresh =
        latest && at - latest.at < day && (mark === latest.mark || Date.now() - manager.changedAt() < settled)
      try {
        if (!latest || !isFresh) {
          const { counts, waiting } = countUpdates(await manager.look(), seen, now)
          const updates = {
            ...counts,
            restartPending: false,
            checkedAt: Math.floor(manager.askedAt(now)),
            installedAt: manager.installedAt(),
          }
          latest = { updates, waiting, at, mark }
          failure = null
        }
        const updates = { ...latest.updates, ...(await around(manager, now)) }
        seen.keep()
        return { facts: { updates, waiting: latest.waiting } }
      } catch (error) {
        const pause = Math.min(longestPause, failure ? failure.pause * 2 : firstPause)
        failure = { error: error as Error, until: at + pause, pause, mark }
        throw error
      }
    },
  }
}
