import { execFileSync, spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { failureOfStatus, installStatus } from '#core'
import { RefusedError } from '../uplink'
import { exitStatusOf, InstallError } from './failure'

describe('why an installation ended', () => {
  it('is told by its exit status, which is none that a shell or sysexits(3) has', () => {
    for (const [kind, status] of Object.entries(installStatus)) {
      expect([failureOfStatus(status), status > 78 && status < 126]).toEqual([kind, true])
    }
    expect([1, 2, 0, null, 127, 137].map(failureOfStatus)).toEqual(Array(6).fill('something-else'))
  })
  it('is known by what kind of error it was, whatever its words', () => {
    const errno = (code: string) => Object.assign(new Error('words'), { code })
    const errors = [
      new RefusedError(409, 'name-in-use', 'words'),
      new InstallError('disk-full', 'words'),
      errno('ENOSPC'),
      errno('EACCES'),
      errno('ECONNREFUSED'),
      new Error('permission denied, no room'),
    ]
    expect(errors.map(exitStatusOf)).toEqual([84, 82, 82, 83, 1, 1])
  })
  it('is the status that the program ends with', () => {
    const folder = mkdtempSync(join(tmpdir(), 'custode-exit-'))
    const program = join(folder, 'agent.cjs')
    const options = [
      '--bundle',
      '--platform=node',
      '--external:*.node',
      '--external:cpu-features',
      `--outfile=${program}`,
    ]
    execFileSync('node_modules/.bin/esbuild', ['packages/agent/src/main.ts', '--log-level=error', ...options])
    expect(existsSync(program)).toBe(true)
    // Root cannot be kept from writing, but a file stands where a folder is to be.
    const words = ['install', '--server', 'http://127.0.0.1:9', '--key', 'k', '--root', program, '--no-run']
    expect(spawnSync(process.execPath, [program, ...words], { encoding: 'utf8' }).status).toBe(1)
    if (process.getuid?.() === 0) {
      const asNobody = [
        '--reuid=65534',
        '--regid=65534',
        '--clear-groups',
        process.execPath,
        program,
        ...words.slice(0, 5),
      ]
      execFileSync('chmod', ['755', folder, program])
      expect(spawnSync('setpriv', asNobody, { encoding: 'utf8' }).status).toBe(installStatus['no-rights'])
    }
    rmSync(folder, { recursive: true })
  })
})
