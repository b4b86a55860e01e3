import { mkdirSync, mkdtempSync, rmSync, symlinkSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { unitFilesIn } from './unitFiles'

let root: string
const at = (...parts: string[]) => join(root, ...parts)
beforeEach(() => {
  root = mkdtempSync(join(tmpdir(), 'custode-units-'))
  for (const folder of ['etc', 'lib', 'etc/multi-user.target.wants']) mkdirSync(at(folder))
  for (const name of ['web.service', 'getty@.service', 'web.socket', 'web.service.bak'])
    writeFileSync(at('lib', name), '')
  // Each folder as it was a while ago: what is done in the test comes later, however coarse the clock of the disk.
  for (const folder of ['etc', 'lib', 'etc/multi-user.target.wants']) utimesSync(at(folder), 1000, 1000)
})
afterEach(() => rmSync(root, { recursive: true }))
const read = () => unitFilesIn([at('etc'), at('missing'), at('lib')])

describe('files of services', () => {
  it('are those of services, without templates, sockets and copies', () =>
    expect(read().names).toEqual(['web.service']))
  it('tell of another name only where nothing else tells of what it is a name of', () => {
    symlinkSync(at('lib/web.service'), at('etc/www.service'))
    symlinkSync('/opt/elsewhere/own.service', at('etc/linked.service'))
    symlinkSync('/dev/null', at('etc/masked.service'))
    symlinkSync(at('lib/web.service'), at('etc/web.service'))
    expect(read().names.sort()).toEqual(['linked.service', 'masked.service', 'web.service'])
  })
  it.each([
    ['a file is added', () => writeFileSync(at('etc/new.service'), '')],
    ['a file is taken away', () => rmSync(at('lib/web.service'))],
    ['one is enabled', () => symlinkSync(at('lib/web.service'), at('etc/multi-user.target.wants/web.service'))],
    ['one is added to', () => mkdirSync(at('etc/web.service.d'))],
    ['a folder appears', () => mkdirSync(at('missing'))],
  ])('are others when %s', (_what, act) => {
    const before = read().stamp
    expect(read().stamp).toBe(before)
    act()
    expect(read().stamp).not.toBe(before)
  })
  it('that cannot be looked for are an error, and not gone', () => {
    writeFileSync(at('loop'), '')
    symlinkSync(at('round'), at('round'))
    expect(unitFilesIn([at('loop')]).names).toEqual([])
    expect(() => unitFilesIn([at('round')])).toThrow(/cannot be read|ELOOP/)
  })
})
