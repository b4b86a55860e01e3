import { mkdtempSync, readFileSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, it } from 'vitest'
import { writeWhole } from '.'

let folder: string
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'custode-files-'))
})
afterEach(() => {
  rmSync(folder, { recursive: true })
})

it('a file is written whole over what was half written before, and over a link without following it', () => {
  const [file, victim] = [join(folder, 'file'), join(folder, 'victim')]
  writeFileSync(victim, 'untouched')
  writeFileSync(`${file}.new`, 'half wr')
  writeWhole(file, 'one')
  symlinkSync(victim, `${file}.new`)
  writeWhole(file, 'two')
  rmSync(file)
  symlinkSync(victim, file)
  writeWhole(file, 'three')
  expect([readFileSync(file, 'utf8'), readFileSync(victim, 'utf8'), statSync(file).mode & 0o777]).toEqual([
    'three',
    'untouched',
    0o600,
  ])
})
