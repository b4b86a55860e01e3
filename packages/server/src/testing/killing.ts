import { spawn, type ChildProcess } from 'node:child_process'
import { mkdirSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { build } from 'esbuild'
import seedrandom from 'seedrandom'

/** Two processes that do a server's work on one database; one of them is ended with SIGKILL again and again. */
export class Killing {
  readonly folder: string
  kills = 0
  readonly random: () => number
  private readonly running = new Set<ChildProcess>()

  /** What processes are started with from now on, beside what this one has. */
  readonly env: Record<string, string> = {}

  private constructor(name: string) {
    this.folder = join(process.cwd(), 'node_modules', '.cache', `custode-${name}-${process.pid}`)
    this.random = seedrandom(name)
  }

  /** @param program beside this file, which says something once it is running; by default it does a server's timers */
  static async prepare(name: string, program = 'timersProcess.ts'): Promise<Killing> {
    const killing = new Killing(name)
    mkdirSync(killing.folder, { recursive: true })
    await build({
      entryPoints: [join(import.meta.dirname, program)],
      outfile: killing.program,
      bundle: true,
      platform: 'node',
      format: 'esm',
      // One file is read sooner than all its packages are found, and it is started a hundred times.
      minify: true,
      external: ['pg-native'],
      banner: { js: "import { createRequire as made } from 'node:module'; const require = made(import.meta.url);" },
      logLevel: 'error',
    })
    return killing
  }

  private get program(): string {
    return join(this.folder, 'timers.mjs')
  }

  private async start(databaseUrl: string, waits: boolean): Promise<ChildProcess> {
    const child = spawn(process.execPath, [this.program], {
      env: { ...process.env, DATABASE_URL: databaseUrl, CUSTODE_KEYS: this.folder, ...this.env },
      stdio: ['ignore', 'pipe', 'inherit'],
    })
    this.running.add(child)
    if (waits) await new Promise((resolve) => child.stdout!.once('data', resolve))
    return child
  }

  /** Ends one of two at random moments, and starts another in its place; at times both are away for a moment. */
  async kill(databaseUrl: string, until: number): Promise<void> {
    const two = await Promise.all([this.start(databaseUrl, true), this.start(databaseUrl, true)])
    while (this.kills < until) {
      await wait(50 + this.random() * 300)
      const victim = Math.floor(this.random() * 2)
      two[victim]!.kill('SIGKILL')
      this.running.delete(two[victim]!)
      this.kills++
      two[victim] = await this.start(databaseUrl, this.random() < 0.8)
    }
  }

  end(): void {
    for (const child of this.running) child.kill('SIGKILL')
    rmSync(this.folder, { recursive: true, force: true })
  }
}
