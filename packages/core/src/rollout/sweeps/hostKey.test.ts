import { execFileSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { fingerprintText, hostKeyState } from './hostKey'

describe('the key of a machine', () => {
  it('is new until somebody accepts it, and changed when another is shown', () => {
    expect([hostKeyState(null, null), hostKeyState('a', null), hostKeyState('a', 'a'), hostKeyState('b', 'a')]).toEqual(
      [null, 'new', 'accepted', 'changed'],
    )
  })
  it('is written as ssh-keygen(1) writes it', () => {
    const folder = mkdtempSync(join(tmpdir(), 'custode-key-'))
    const file = join(folder, 'key')
    execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', file])
    const wire = Buffer.from(readFileSync(`${file}.pub`, 'utf8').split(' ')[1]!, 'base64')
    expect(fingerprintText(createHash('sha256').update(wire).digest('base64'))).toBe(
      execFileSync('ssh-keygen', ['-l', '-f', file], { encoding: 'utf8' }).split(' ')[1],
    )
    rmSync(folder, { recursive: true })
  })
})
