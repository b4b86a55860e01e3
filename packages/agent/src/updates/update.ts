import { createHash } from 'node:crypto'
import {
  chmodSync,
  createReadStream,
  createWriteStream,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statfsSync,
} from 'node:fs'
import { dirname, join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { createGunzip } from 'node:zlib'
import type { ReleaseStatement, SignedText, UpdateCommand } from '#contract/report'
import { ageText, minute, second } from '#core'
import { steady } from '../clock'
import { command } from '../collectors'
import { writeWhole } from '#files'
import type { Identity } from '../identity/identity'
import { ReleaseTrust } from './release'
import { filesOf, startedByStarter } from './starter'
import { roomFault } from '../install/room'
import { report } from '../tasks/report'
import { NotOursError } from '../signature'
import { call, fetchTo, RefusedError, type Way } from '../uplink'
import { agentVersion, releaseFloor } from '../version'

async function digestOf(file: string): Promise<string> {
  const hash = createHash('sha256')
  await pipeline(createReadStream(file), hash)
  return hash.digest('hex')
}

/**
 * What the holder of the release key says of the version that a command names. Where the key has changed since this
 * program was built, the changes are learned first.
 * @throws Error with the reason for the technician
 */
async function statementOf(
  way: Way,
  version: string,
  trust: ReleaseTrust,
): Promise<{ path: string; said: ReleaseStatement }> {
  const path = `/agent/releases/${version}/custode-agent-linux-${process.arch}.gz`
  const signed = await call<SignedText>(way, 'GET', `${path}/statement`).catch((error: unknown) => {
    if (error instanceof RefusedError && error.status === 404)
      throw new Error(`the server has no signed program of version ${version} for ${process.arch}`)
    throw error
  })
  const read = () => trust.read(signed.body, 'custode-agent', `linux-${process.arch}`)
  let said: ReleaseStatement
  try {
    said = read()
  } catch (error) {
    if (
      !(error instanceof NotOursError) ||
      !trust.learn((await call<SignedText[]>(way, 'GET', '/agent/release-keys')).body)
    )
      throw error
    said = read()
  }
  if (said.version !== version) throw new NotOursError(`it is version ${said.version}, not ${version}`)
  return { path, said }
}

/**
 * Fetches another version, verifies it against its release statement, tries whether it runs here at all, and puts it
 * on trial. Nothing that runs, or ran before, is touched until all of that is done.
 * @returns whether there is something to start anew for: not when it is the version that runs
 * @throws Error with the reason for the technician
 */
export async function prepareUpdate(
  home: string,
  way: Way,
  taskId: number,
  update: UpdateCommand,
  step: (name: string) => void,
  trust = new ReleaseTrust(home),
): Promise<boolean> {
  const { programs, programOf, trial } = filesOf(home)
  if (update.version === agentVersion) return false
  if (!startedByStarter())
    throw new Error(
      'this agent was not started by its starter, which would go back if the update failed: install it anew, or have your service manager run the starter',
    )
  if (!/^\d+\.\d+\.\d+[\w.-]{0,30}$/.test(update.version)) throw new Error(`“${update.version}” is no version`)
  const { path, said: release } = await statementOf(way, update.version, trust)
  if (existsSync(trial)) throw new Error('another update is on trial')
  const { bavail, bsize } = statfsSync(home)
  const fault = roomFault(bavail * bsize, 'the disk of the agent')
  if (fault) throw new Error(fault)
  const arriving = join(programs, 'arriving')
  const program = join(arriving, 'custode-agent')
  const packed = join(arriving, 'packed')
  rmSync(arriving, { recursive: true, force: true })
  mkdirSync(arriving, { recursive: true, mode: 0o700 })
  try {
    step('downloading')
    await fetchTo(way, path, packed)
    if ((await digestOf(packed)) !== release.sha256)
      throw new NotOursError('the program is not the one that was signed: its digest is another')
    step('unpacking')
    await pipeline(createReadStream(packed), createGunzip(), createWriteStream(program))
    chmodSync(program, 0o700)
    const said = (await command(program, ['version'], 30_000)).trim()
    if (said !== `custode-agent ${update.version}`)
      throw new Error(`the program says that it is “${said.slice(0, 80)}”`)
    rmSync(packed)
    const folder = dirname(programOf(update.version))
    rmSync(folder, { recursive: true, force: true })
    renameSync(arriving, folder)
  } finally {
    rmSync(arriving, { recursive: true, force: true })
  }
  step('starting anew')
  writeWhole(trial, `${update.version} ${Math.ceil((Date.now() + update.within) / second)} 0 ${taskId}\n`)
  return true
}

interface Trial {
  version: string
  taskId: number
}

function readTrial(file: string): Trial | null {
  if (!existsSync(file)) return null
  const [version = '', , , taskId] = readFileSync(file, 'utf8').trim().split(' ')
  return { version, taskId: Number(taskId) }
}

/** Up for so long, and heard of, it no longer counts as one that comes down again and again. */
const stays = 10 * minute

/**
 * A version on trial has proved itself with its first report that the server took; what ran before it is kept, for as
 * long as it may still turn out that the new one does not stay up. One that was given up is told of.
 */
export class Proof {
  readonly #files: ReturnType<typeof filesOf>
  readonly #began = Date.now()
  readonly #up = steady()
  #settled = false
  #hasStayed = false

  constructor(
    home: string,
    private readonly identity: Identity,
    private readonly say: (text: string) => void,
    private readonly trust = new ReleaseTrust(home),
  ) {
    this.#files = filesOf(home)
  }

  async reported(): Promise<void> {
    if (!this.#hasStayed && steady() - this.#up >= stays) {
      this.#hasStayed = true
      rmSync(this.#files.starts, { force: true })
    }
    if (this.#settled) return
    this.#settled = true
    const { trial, wentBack, adopted, previous, starts } = this.#files
    const proved = readTrial(trial)
    if (proved?.version === agentVersion) {
      const before = existsSync(adopted) ? readFileSync(adopted, 'utf8').trim() : 'installed'
      writeWhole(previous, `${before} ${proved.taskId}\n`)
      rmSync(starts, { force: true })
      writeWhole(adopted, agentVersion)
      rmSync(trial)
      this.trust.raise('custode-agent', releaseFloor)
      this.#keepOnly([agentVersion, before])
      this.say(`version ${agentVersion} has proved itself`)
      await this.#report(
        proved.taskId,
        'done',
        `reported ${ageText(Math.max(1000, Date.now() - this.#began))} after its start`,
      )
    }
    const failed = readTrial(wentBack)
    if (failed) {
      this.say(`version ${failed.version} did not prove itself; this is ${agentVersion} again`)
      rmSync(join(this.#files.programs, failed.version), { recursive: true, force: true })
      await this.#report(
        failed.taskId,
        'failed',
        `version ${failed.version} did not report in time, or did not stay up; ${agentVersion} runs again`,
      )
      rmSync(wentBack)
    }
  }

  #keepOnly(versions: readonly string[]): void {
    for (const name of readdirSync(this.#files.programs))
      if (!versions.includes(name)) rmSync(join(this.#files.programs, name), { recursive: true, force: true })
  }

  async #report(taskId: number, state: 'done' | 'failed', reason: string): Promise<void> {
    await report(this.identity, taskId, { update: { state, step: '', reason } }).catch((error: unknown) =>
      this.say(`task ${taskId}: ${(error as Error).message}`),
    )
  }
}
