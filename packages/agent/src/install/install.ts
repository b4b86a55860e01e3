import { execFileSync, spawn } from 'node:child_process'
import {
  chmodSync,
  copyFileSync,
  existsSync,
  lchownSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmdirSync,
  rmSync,
  statfsSync,
  writeFileSync,
} from 'node:fs'
import { dirname, join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { second } from '#core'
import { serviceManager } from '../collectors'
import { enroll } from '../identity/enroll'
import { readIdentity, writeIdentity, type Identity } from '../identity/identity'
import { onWindows, placeAt, unitName, user, type Place } from './place'
import { endPing, letPing } from './pinging'
import { rightsScript } from './polkit'
import { rootTimerPlace, rootTimers } from './rootTimers'
import { forgetUpdates, starterText } from '../updates/starter'
import { unitText } from './unit'
import { requireSafe, RefusedError, type Way } from '../uplink'
import { InstallError } from './failure'
import { roomFault } from './room'
import { placeProgram, removeAll, startAtBoot, windowsPlace } from './windows'

/** Runs a program of the system; its last words are the reason when it fails. */
function tool(program: string, ...args: string[]): void {
  try {
    execFileSync(program, args, { stdio: ['ignore', 'ignore', 'pipe'], encoding: 'utf8' })
  } catch (error) {
    const words = (error as { stderr?: string }).stderr?.trim().split('\n').pop()
    throw new Error(`${program} ${args.join(' ')}: ${words || (error as Error).message}`)
  }
}

function has(database: 'passwd' | 'group', name: string): boolean {
  try {
    tool('getent', database, name)
    return true
  } catch {
    return false
  }
}

function requireRoom(place: Place): void {
  let folder = place.root || '/'
  while (!existsSync(folder)) folder = dirname(folder)
  const { bavail, bsize } = statfsSync(folder)
  const fault = roomFault(bavail * bsize, 'this disk')
  if (fault) throw new InstallError('disk-full', fault)
}

/** The file that is this program: packaged it is the executable itself, otherwise the script. */
function ownFile(): string {
  return process.argv[1] && /\.m?js$/.test(process.argv[1]) && existsSync(process.argv[1])
    ? process.argv[1]
    : process.execPath
}

function makeUser(): { uid: number; gid: number } {
  if (!has('passwd', user))
    tool(
      'useradd',
      '--system',
      '--user-group',
      '--no-create-home',
      '--home-dir',
      placeAt('').home,
      '--shell',
      '/usr/sbin/nologin',
      user,
    )
  for (const group of ['adm', 'systemd-journal'])
    if (has('group', group)) tool('usermod', '--append', '--groups', group, user)
  const id = (flag: string) => Number(execFileSync('id', [flag, user], { encoding: 'utf8' }))
  return { uid: id('-u'), gid: id('-g') }
}

interface Owner {
  uid: number
  gid: number
}

/** Links are given away themselves, and never followed: whoever had the folder may have laid them. */
function give(path: string, owner: Owner): void {
  lchownSync(path, owner.uid, owner.gid)
  if (lstatSync(path).isDirectory()) for (const name of readdirSync(path)) give(`${path}/${name}`, owner)
}

/**
 * Works in the agent's own folder as the agent's own user: whatever lies there, root neither reads nor writes by it.
 */
async function asOwner<T>(owner: Owner | null, work: () => Promise<T>): Promise<T> {
  if (owner === null) return work()
  const groups = process.getgroups!()
  process.setgroups!([owner.gid])
  process.setegid!(owner.gid)
  process.seteuid!(owner.uid)
  try {
    return await work()
  } finally {
    process.seteuid!(0)
    process.setegid!(0)
    process.setgroups!(groups)
  }
}

/** A server that is being restarted is back within seconds; a refusal is one at once. */
async function enrolPatiently(tries: number, enrol: () => Promise<string>): Promise<string> {
  for (let left = tries - 1; ; left--) {
    try {
      return await enrol()
    } catch (error) {
      if (error instanceof RefusedError || left <= 0) throw error
      await wait(3000)
    }
  }
}

export interface InstallOptions {
  way: Way
  key: string
  name: string | undefined
  root: string
  /** How often a server that is not reached is tried. */
  tries?: number
  /** It shall never start or stop anything on this machine. */
  looksOnly?: boolean
}

/**
 * Installs this program as a service, or, where no systemd runs, says so and leaves it running in the background: what
 * was typed to install it, the enrolment key in it, must not stand in the list of processes for longer than it takes.
 * Done again on a machine that is enrolled, it renews the program and the unit and keeps the rest.
 */
export async function install(options: InstallOptions, say: (text: string) => void, starts = true): Promise<void> {
  if (onWindows) return installOnWindows(options, say)
  const { root } = options
  const place = placeAt(root)
  const ownRoot = root !== ''
  if (!ownRoot && process.getuid?.() !== 0)
    throw new InstallError('no-rights', 'Installing needs root: run the command with sudo.')
  requireRoom(place)
  const isService = serviceManager() === 'systemd' && !ownRoot
  const isRenewed = isService && existsSync(place.unit)
  // Nothing of it runs while its folder is put in order.
  if (isRenewed) tool('systemctl', 'stop', unitName)
  try {
    await putInPlace(options, place, isService, say, starts)
  } catch (error) {
    // What was there before goes on.
    if (isRenewed) tool('systemctl', 'start', unitName)
    throw error
  }
}

async function putInPlace(
  { way, key, name, root, tries = 6, looksOnly = false }: InstallOptions,
  place: Place,
  isService: boolean,
  say: (text: string) => void,
  starts: boolean,
): Promise<void> {
  const ownRoot = root !== ''
  mkdirSync(dirname(place.program), { recursive: true, mode: 0o755 })
  mkdirSync(place.home, { recursive: true, mode: 0o700 })
  const owner = isService ? makeUser() : null
  if (owner) give(place.home, owner)
  if (ownFile() !== place.program) {
    // Beside it and then in its place: a program that runs cannot be written over.
    copyFileSync(ownFile(), `${place.program}.new`)
    chmodSync(`${place.program}.new`, 0o755)
    renameSync(`${place.program}.new`, place.program)
  }
  writeFileSync(place.starter, starterText, { mode: 0o755 })
  say(`The program is in place: ${place.program}`)
  if (looksOnly)
    writeFileSync(
      place.lookOnly,
      'This agent changes nothing on this machine. Install it anew without --look-only to have it do so.\n',
      { mode: 0o644 },
    )
  else rmSync(place.lookOnly, { force: true })
  await asOwner(owner, async () => {
    // What is installed now is what somebody wants to run, whatever updates there were.
    forgetUpdates(place.home)
    const known = readIdentity(place.home)
    say(
      known
        ? keepEnrolled(place.home, known, way)
        : await enrolPatiently(tries, () => enroll(place.home, way, key, name)),
    )
    noteWhatItMay(place.home, looksOnly, say)
  })
  if (!isService) {
    say(
      `${ownRoot ? 'Installed in a folder of its own' : 'There is no systemd here'}: nothing starts it at boot. ${starts ? 'It now runs in the background; to have it run always, end it and have' : 'Have'} your own service manager run:`,
    )
    say(`  /bin/sh ${place.starter} ${place.home}`)
    endRunning(place.program)
    if (starts)
      spawn(place.program, ['run', '--home', place.home, '--no-refresh'], {
        detached: true,
        stdio: 'ignore',
        cwd: '/',
      }).unref()
    return
  }
  const canNotify = ['/usr/bin/systemd-notify', '/bin/systemd-notify'].some((path) => existsSync(path))
  writeFileSync(place.unit, unitText(place, canNotify), { mode: 0o644 })
  writeRights(place, looksOnly, say)
  if (owner) letPing(place.ping, owner.gid, looksOnly, say)
  for (const rootTimer of rootTimers) {
    const { script, unit, trigger } = rootTimerPlace(root, rootTimer)
    writeFileSync(script, rootTimer.script, { mode: 0o755 })
    writeFileSync(unit, rootTimer.serviceText({ script, lookOnly: place.lookOnly }), { mode: 0o644 })
    writeFileSync(trigger, rootTimer.trigger.text, { mode: 0o644 })
  }
  const timers = rootTimers.map((rootTimer) => rootTimerPlace(root, rootTimer).triggerName)
  tool('systemctl', 'daemon-reload')
  tool('systemctl', 'enable', unitName, ...timers)
  tool('systemctl', 'restart', unitName, ...timers)
  // What runs for as long as it is asked for still runs as it was before.
  const lasting = rootTimers.filter(({ trigger }) => trigger.by === 'path').map(({ name }) => `${name}.service`)
  tool('systemctl', 'try-restart', ...lasting)
  say('The agent runs, and starts at boot.')
}

/** Processes that run this program as the agent, this one left out. */
function running(program: string): number[] {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name) && Number(name) !== process.pid)
    .filter((pid) => {
      try {
        const words = readFileSync(`/proc/${pid}/cmdline`, 'utf8').split('\0')
        const at = words.indexOf(program)
        return (at === 0 || at === 1) && words[at + 1] === 'run'
      } catch {
        // It has ended by itself.
        return false
      }
    })
    .map(Number)
}

const endsWithin = 8 * second
const pollEvery = 50

/** Ends what was left running in the background, and waits for it: it still writes into its folder. */
function endRunning(program: string): void {
  for (let waited = 0; ; waited += pollEvery) {
    const left = running(program)
    if (!left.length) return
    if (waited === 0 || waited >= endsWithin)
      for (const pid of left) process.kill(pid, waited === 0 ? 'SIGTERM' : 'SIGKILL')
    Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, pollEvery)
  }
}

/** The device stays what it is; how its server is reached may be said anew, and must where that was by plain HTTP. */
function keepEnrolled(home: string, known: Identity, { server, ...rest }: Way): string {
  const isMoved = !isSafe(known.server)
  if (isMoved || Object.keys(rest).length)
    writeIdentity(home, { ...known, ...rest, server: isMoved ? server : known.server })
  return `This machine is enrolled already, as ${known.name} at ${known.server}; ${isMoved ? `from now on it reports to ${server}.` : 'that stays.'}`
}

function isSafe(server: string): boolean {
  try {
    requireSafe(server)
    return true
  } catch {
    return false
  }
}

function noteWhatItMay(home: string, looksOnly: boolean, say: (text: string) => void): void {
  writeIdentity(home, { ...readIdentity(home)!, looksOnly })
  if (looksOnly) say('It looks only: it never starts or stops anything here.')
}

/** Lets its user start and stop services, where that can be said. */
function writeRights({ rights, rightsScript: script }: Place, looksOnly: boolean, say: (text: string) => void): void {
  rmSync(rights, { force: true })
  rmSync(script, { force: true })
  if (looksOnly) return
  if (existsSync('/etc/polkit-1/localauthority') && !existsSync(dirname(rights))) {
    say(
      'It may start and stop no services here: this polkit is older than 0.106, and knows no rule that would allow that and nothing else.',
    )
    return
  }
  if (!existsSync(dirname(rights))) {
    say(
      'It may start and stop no services here: that needs polkit (Debian’s package polkitd). Install it and run this command again, or leave it so.',
    )
    return
  }
  writeFileSync(script, rightsScript, { mode: 0o755 })
  writeFileSync(rights, '', { mode: 0o644 })
  tool('/bin/sh', script, rights)
  say(`It may start and stop this machine’s services when its server asks: ${rights}`)
}

/** On Windows a task starts it at boot; the rest is as on Linux. */
async function installOnWindows(
  { way, key, name, tries = 6, looksOnly = false }: InstallOptions,
  say: (text: string) => void,
): Promise<void> {
  const place = windowsPlace()
  placeProgram(place)
  say(`The program is in place: ${place.program}`)
  const known = readIdentity(place.home)
  say(
    known
      ? keepEnrolled(place.home, known, way)
      : await enrolPatiently(tries, () => enroll(place.home, way, key, name)),
  )
  noteWhatItMay(place.home, looksOnly, say)
  startAtBoot(place)
  say('The agent runs, and starts at boot.')
}

/** Leaves nothing behind: service, program, key, spool and user go. */
export function uninstall(root: string, say: (text: string) => void): void {
  if (onWindows) {
    removeAll(windowsPlace())
    say('The agent is gone from this machine. Its device is still in Custode; retire it there.')
    return
  }
  const place = placeAt(root)
  const ownRoot = root !== ''
  if (!ownRoot && process.getuid?.() !== 0) throw new Error('Uninstalling needs root: run the command with sudo.')
  if (!ownRoot && serviceManager() === 'systemd' && existsSync(place.unit))
    tool('systemctl', 'disable', '--now', unitName)
  else endRunning(place.program)
  const ofRoot = rootTimers.flatMap((rootTimer) => {
    const { wanted, trigger, triggerName, unit } = rootTimerPlace(root, rootTimer)
    if (!ownRoot && serviceManager() === 'systemd' && existsSync(trigger)) {
      tool('systemctl', 'disable', '--now', triggerName)
      // What it has begun, too: a look for updates may take minutes.
      tool('systemctl', 'stop', `${rootTimer.name}.service`)
    }
    return [wanted, trigger, unit, join(root, rootTimer.folder)]
  })
  if (!ownRoot) endPing(place.ping)
  for (const path of [place.wanted, place.unit, place.rights, place.home, ...ofRoot])
    rmSync(path, { recursive: true, force: true })
  rmSync(dirname(place.program), { recursive: true, force: true })
  if (ownRoot) removeEmpty(root)
  else {
    if (serviceManager() === 'systemd') tool('systemctl', 'daemon-reload')
    if (has('passwd', user)) tool('userdel', user)
    if (has('group', user)) tool('groupdel', user)
  }
  say('The agent is gone from this machine. Its device is still in Custode; retire it there.')
}

function removeEmpty(folder: string): void {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (!entry.isDirectory()) continue
    const path = `${folder}/${entry.name}`
    removeEmpty(path)
    if (readdirSync(path).length === 0) rmdirSync(path)
  }
}
