import { spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { build } from 'esbuild'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { minute, second } from '#core'
import { Watchdog } from './watchdog'

afterEach(() => {
  vi.useRealTimers()
})

describe('a loop', () => {
  it('that no longer turns is ended, with what a service manager starts anew for', () => {
    vi.useFakeTimers()
    const said: string[] = []
    const ended: number[] = []
    const watchdog = new Watchdog(
      (text) => {
        said.push(text)
      },
      (status) => {
        ended.push(status)
      },
    )
    for (let turn = 0; turn < 20; turn++) {
      watchdog.turned(minute)
      vi.advanceTimersByTime(7 * minute)
    }
    expect(ended).toEqual([])
    // Three turns of a minute, and five minutes more.
    vi.advanceTimersByTime(minute + 31 * second)
    expect([ended[0], said[0]]).toEqual([70, expect.stringContaining('nothing has been reported or tried')])
    watchdog.stop()
  })
})

describe('what nobody handles', () => {
  it.each([
    ['a promise', 'Promise.reject(new Error("odd one"))'],
    ['an error', 'setTimeout(() => { throw new Error("odd one") })'],
  ])('ends the program loudly: %s', async (_what, statement) => {
    const folder = mkdtempSync(join(tmpdir(), 'custode-watchdog-'))
    const outfile = join(folder, 'program.cjs')
    await build({
      stdin: {
        contents: `import { endOnWhatNobodyHandles } from './watchdog'; endOnWhatNobodyHandles((text) => console.error(text)); setTimeout(() => undefined, 30_000); ${statement}`,
        resolveDir: import.meta.dirname,
        loader: 'ts',
      },
      bundle: true,
      platform: 'node',
      format: 'cjs',
      outfile,
      logLevel: 'silent',
    })
    const { status, stderr } = spawnSync(process.execPath, [outfile], { encoding: 'utf8', timeout: 20_000 })
    rmSync(folder, { recursive: true })
    expect([status, stderr]).toEqual([70, expect.stringMatching(/ending, to be started anew: Error: odd one\n\s+at /)])
  })
})
