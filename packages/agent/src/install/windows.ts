import { execFileSync } from 'node:child_process'
import { copyFileSync, existsSync, lstatSync, mkdirSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { ownerScript } from '../powershell/scripts'

export const taskName = 'Custode agent'
const administrators = '*S-1-5-32-544'
const localSystem = '*S-1-5-18'

export interface WindowsPlace {
  program: string
  home: string
  task: string
}
export function windowsPlace(): WindowsPlace {
  return {
    program: join(process.env.ProgramFiles ?? 'C:\\Program Files', 'Custode Agent', 'custode-agent.exe'),
    home: join(process.env.ProgramData ?? 'C:\\ProgramData', 'Custode Agent'),
    task: join(process.env.SystemRoot ?? 'C:\\Windows', 'System32', 'Tasks', taskName),
  }
}

const xml = (text: string) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')

/**
 * A task that runs the agent from the start of the machine on, as the local system, without end (Task Scheduler's
 * schema, [MS-TSCH], section 2.5). It is begun again each minute, which is passed over while it runs: so it is back a
 * minute after it ended, however it ended; to restart on failure, which stands there as well, is only for what could
 * not be started (from memory). A program that runs as a service has to speak with the service manager, which the
 * language's runtime does not.
 */
export function taskXml({ program, home }: Pick<WindowsPlace, 'program' | 'home'>): string {
  return `<?xml version="1.0" encoding="UTF-16"?>
<Task version="1.2" xmlns="http://schemas.microsoft.com/windows/2004/02/mit/task">
  <RegistrationInfo><Description>Custode agent</Description></RegistrationInfo>
  <Triggers>
    <BootTrigger><Enabled>true</Enabled></BootTrigger>
    <TimeTrigger>
      <Repetition><Interval>PT1M</Interval><StopAtDurationEnd>false</StopAtDurationEnd></Repetition>
      <StartBoundary>2020-01-01T00:00:00</StartBoundary>
      <Enabled>true</Enabled>
    </TimeTrigger>
  </Triggers>
  <Principals><Principal id="Author"><UserId>S-1-5-18</UserId><RunLevel>HighestAvailable</RunLevel></Principal></Principals>
  <Settings>
    <MultipleInstancesPolicy>IgnoreNew</MultipleInstancesPolicy>
    <DisallowStartIfOnBatteries>false</DisallowStartIfOnBatteries>
    <StopIfGoingOnBatteries>false</StopIfGoingOnBatteries>
    <ExecutionTimeLimit>PT0S</ExecutionTimeLimit>
    <RestartOnFailure><Interval>PT1M</Interval><Count>255</Count></RestartOnFailure>
    <StartWhenAvailable>true</StartWhenAvailable>
    <Priority>7</Priority>
    <Enabled>true</Enabled>
  </Settings>
  <Actions Context="Author"><Exec><Command>${xml(program)}</Command><Arguments>run --home "${xml(home)}"</Arguments></Exec></Actions>
</Task>
`
}

function tool(program: string, ...args: string[]): void {
  try {
    execFileSync(program, args, { stdio: ['ignore', 'ignore', 'pipe'], encoding: 'utf8' })
  } catch (error) {
    const words = (error as { stderr?: string }).stderr?.trim().split('\n').pop()
    throw new Error(
      `${program} ${args[0] ?? ''}: ${words || (error as Error).message}. Is this an administrator’s PowerShell?`,
    )
  }
}

export interface PreparedFolder {
  isLink: boolean
  owner: string
  isFresh: boolean
  names: readonly string[]
}

/**
 * Every user may make folders in ProgramData, and is then their owner, or lays a junction there that leads elsewhere:
 * the key would lie where they read it, and the system would write where they wish.
 * @returns why it is not used; null: it may be
 */
export function faultOf(folder: string, { isLink, owner, isFresh, names }: PreparedFolder): string | null {
  const faults = [
    isLink && 'leads elsewhere',
    ![localSystem, administrators].includes(`*${owner}`) &&
      `belongs to ${owner}, who is neither the system nor the administrators`,
    isFresh && names.length > 0 && `was given ${names[0]!} while it was made`,
  ]
  const what = faults.find((fault) => fault !== false) ?? null
  return (
    what && `${folder} ${what}: somebody may have prepared it. Look at what it holds, remove it, and install again.`
  )
}

/**
 * Makes the agent's home for the system and administrators alone. Inherited rights would let every user read the key.
 */
function makeHome(folder: string): void {
  const isFresh = !existsSync(folder)
  if (isFresh) {
    mkdirSync(folder)
    tool('icacls.exe', folder, '/setowner', administrators)
  } else refuse(folder, false)
  tool('icacls.exe', folder, '/inheritance:r', '/grant:r', `${localSystem}:(OI)(CI)F`, `${administrators}:(OI)(CI)F`)
  refuse(folder, isFresh)
}

/** @throws Error when somebody else has made it, or has put something into it */
function refuse(folder: string, isFresh: boolean): void {
  const owner = execFileSync(
    'powershell.exe',
    [
      '-NoLogo',
      '-NoProfile',
      '-NonInteractive',
      '-EncodedCommand',
      Buffer.from(ownerScript(folder), 'utf16le').toString('base64'),
    ],
    { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] },
  ).trim()
  const fault = faultOf(folder, {
    isLink: lstatSync(folder).isSymbolicLink(),
    owner,
    isFresh,
    names: readdirSync(folder),
  })
  if (fault) throw new Error(fault)
}

/** Puts the program in place, and makes its home. */
export function placeProgram(place: WindowsPlace): void {
  mkdirSync(dirname(place.program), { recursive: true })
  makeHome(place.home)
  if (process.execPath === place.program) return
  // A program that runs cannot be written over, but moved away.
  if (existsSync(place.program)) renameSync(place.program, `${place.program}.old`)
  copyFileSync(process.execPath, place.program)
  try {
    rmSync(`${place.program}.old`, { force: true })
  } catch {
    /* it still runs; the next installation removes it */
  }
}

export function startAtBoot(place: WindowsPlace): void {
  const file = join(place.home, 'task.xml')
  writeFileSync(file, `\uFEFF${taskXml(place)}`, 'utf16le')
  tool('schtasks.exe', '/create', '/tn', taskName, '/xml', file, '/f')
  rmSync(file)
  tool('schtasks.exe', '/run', '/tn', taskName)
}

export function removeAll(place: WindowsPlace): void {
  if (existsSync(place.task)) {
    tool('schtasks.exe', '/end', '/tn', taskName)
    tool('schtasks.exe', '/delete', '/tn', taskName, '/f')
  }
  rmSync(place.home, { recursive: true, force: true })
  // Nobody can remove the program that does it: what is left of it goes with the next start.
  if (dirname(process.execPath) !== dirname(place.program))
    rmSync(dirname(place.program), { recursive: true, force: true })
}
