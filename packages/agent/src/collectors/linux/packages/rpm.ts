import { existsSync } from 'node:fs'
import { ageText, day, type Millis, type UpdateRating } from '#core'
import { rootTimerPlace } from '../../../install/rootTimers'
import { packagesTimer } from '../../../install/rootTimers/packages'
import { NotHereError } from '../../collector'
import type { FoundUpdate, FoundUpdates, PackageManager } from '../../packageManager'
import { parseFetched, parseSections, whyNot, type Section } from './told'

const linesOf = (text: string | undefined) => text?.split('\n').filter((line) => line.trim() !== '') ?? []

/** What a command printed. @throws Error with its last words where it failed */
function printed(sections: ReadonlyMap<string, Section>, name: string, mayEndWith: readonly number[] = [0]): string {
  const section = sections.get(name)
  if (!section) throw new Error(`nothing was told of ${name}`)
  if (!mayEndWith.includes(section.code))
    throw new Error(whyNot(section.errors || section.output || `exit status ${section.code}`))
  return section.output
}

/**
 * What dnf(8) says in the sections of root's script. `repoquery` prints in a format of our own: NAME.ARCH, version and
 * repository; without its locks and exclusions all that is newer, with
 * them what would come. `updateinfo list` has a line for each
 * advisory and package: `ID Important/Sec. NAME-VERSION-RELEASE.ARCH`. Newer ones (dnf5) say `ID security Important
 * NAME-… DATE`: that is from their documentation, and was not run.
 */
export function parseDnf(sections: ReadonlyMap<string, Section>): FoundUpdates {
  const free = new Set(linesOf(printed(sections, 'free')))
  const installed = new Map(linesOf(printed(sections, 'installed')).map((line) => line.split('\t') as [string, string]))
  const advisories = linesOf(printed(sections, 'advisories'))
    .map((line) => line.split(/\s+/))
    .filter((words) => words[1]?.endsWith('/Sec.') || words[1] === 'security')
    .map((words) => ({ rating: (words[1] === 'security' ? words[2]! : words[1]!.split('/')[0]!).toLowerCase(), words }))
  const mends = (name: string, arch: string) =>
    advisories.filter(({ words }) =>
      words.some(
        (word) => word.startsWith(`${name}-`) && word.endsWith(`.${arch}`) && isVersion(word.slice(name.length + 1)),
      ),
    )
  const waiting = linesOf(printed(sections, 'all')).map((line): FoundUpdate => {
    const [id = '', to = '', repository = ''] = line.split('\t')
    const [name, arch] = [id.slice(0, id.lastIndexOf('.')), id.slice(id.lastIndexOf('.') + 1)]
    const security = mends(name, arch)
    const from = installed.get(id)
    const rating = worst(security.map((advisory) => advisory.rating))
    return {
      name: id,
      ...(from === undefined ? {} : { from }),
      to,
      origin: repository,
      security: security.length > 0,
      ...(rating === undefined ? {} : { rating }),
      ...(free.has(id) ? {} : { held: 'asked' }),
    }
  })
  return { waiting, leftover: linesOf(printed(sections, 'leftover')) }
}

/** VERSION-RELEASE.ARCH, maybe with an epoch: neither of both has a hyphen, and a version begins with a digit. */
const isVersion = (text: string) => /^(\d+:)?\d[^-]*-[^-]+$/.test(text)

const ratings: readonly UpdateRating[] = ['critical', 'important', 'moderate', 'low']
const worst = (told: readonly string[]) => ratings.find((rating) => told.includes(rating))

const attribute = (element: string, name: string) => {
  const found = new RegExp(` ${name}="([^"]*)"`).exec(element)?.[1]
  return found?.replace(/&(lt|gt|quot|apos|amp);/g, (entity) => plain[entity]!)
}
const plain: Record<string, string> = { '&lt;': '<', '&gt;': '>', '&quot;': '"', '&apos;': "'", '&amp;': '&' }

/**
 * What zypper(8) says in the sections of root's script, by its --xmlout: `<update kind="package" name edition
 * edition-old>` and its `<source alias>`; the packages that its patches of the category security would upgrade, as
 * `<solvable type="package" name>`; and locks. Leftovers stand in a table, `S | Repository | Name | Version | Arch`.
 */
export function parseZypper(sections: ReadonlyMap<string, Section>): FoundUpdates {
  const updatesIn = (name: string) =>
    [...printed(sections, name).matchAll(/<update kind="package"[^>]*>.*?<\/update>/gs)].map(([element]) => element)
  const free = new Set(updatesIn('free').map((element) => attribute(element, 'name')))
  const mended = new Set(
    [...printed(sections, 'security', [0, 102, 103]).matchAll(/<solvable type="package"[^>]*>/g)].map(([element]) =>
      attribute(element, 'name'),
    ),
  )
  const locked = new Set([...printed(sections, 'locks').matchAll(/<name>([^<]*)<\/name>/g)].map(([, name]) => name))
  const waiting = updatesIn('all').map((element): FoundUpdate => {
    const name = attribute(element, 'name') ?? ''
    const from = attribute(element, 'edition-old')
    const source = /<source [^>]*>/.exec(element)?.[0] ?? ''
    return {
      name,
      ...(from === undefined ? {} : { from }),
      to: attribute(element, 'edition') ?? '',
      origin: attribute(source, 'alias') ?? '',
      security: mended.has(name),
      ...(free.has(name) ? {} : { held: locked.has(name) ? 'asked' : 'kept' }),
    }
  })
  const table = linesOf(printed(sections, 'leftover')).map((line) => line.split('|').map((cell) => cell.trim()))
  return {
    waiting,
    leftover: table.filter((cells) => cells.length === 5 && cells[0] !== 'S').map((cells) => cells[2]!),
  }
}

/** dnf says it in words, zypper by an exit status of its own (ZYPPER_EXIT_INF_REBOOT_NEEDED). */
function wantsRestart(manager: string, section: Section | undefined): boolean {
  return manager === 'dnf' ? /^Reboot is required/m.test(section?.output ?? '') : section?.code === 102
}

type ToldOf = (name: 'fetched' | 'packages') => { text: string; at: Millis } | null

/** It asks once a day. What is older than this is not how it is. */
const oldAfter: Millis = 2 * day

/**
 * What root's script asked of dnf or zypper.
 * @param name of the program
 * @param timer by which the script runs, where it is installed
 */
export function rpmManager(
  name: 'dnf' | 'zypper',
  toldOf: ToldOf,
  timer = rootTimerPlace('', packagesTimer).trigger,
): PackageManager {
  const read = () => {
    const told = toldOf('packages')
    return told ? parseSections(told.text) : null
  }
  const fetched = () => {
    const told = toldOf('fetched')
    return told ? parseFetched(told.text) : null
  }
  const see = `see: systemctl status ${packagesTimer.name}.service`
  return {
    async look() {
      const told = toldOf('packages')
      if (!told && !existsSync(timer))
        throw new NotHereError(
          `only root may ask ${name}, and no timer does. The line of installation, run once more, brings one`,
        )
      if (!told) throw new Error(`${name} was not asked yet; ${see}`)
      const old = Date.now() - told.at
      if (old > oldAfter) throw new Error(`${name} was not asked for ${ageText(old)}; ${see}`)
      const { manager, sections } = parseSections(told.text)
      return (manager === 'dnf' ? parseDnf : parseZypper)(sections)
    },
    askedAt: (now) => toldOf('packages')?.at ?? now,
    mark: () => String(toldOf('packages')?.at ?? ''),
    changedAt: () => 0,
    listsAt: () => fetched()?.at ?? null,
    refresh: () => fetched()?.failure ?? (fetched() ? null : undefined),
    restartPending() {
      const told = read()
      return told !== null && wantsRestart(told.manager, told.sections.get('restart'))
    },
    installedAt: () => null,
  }
}
