import { execFileSync } from 'node:child_process'
import { generateKeyPairSync } from 'node:crypto'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import type { ReleaseStatement, SignedText } from '#contract/report'
import { root } from '../../../../../launcher/place.mjs'
import { filesOf } from '../starter'
import { releaseFloor } from '../../version'
import { keyStatement, releaseKeyOf, signedBy } from './testing'
import { ReleaseTrust } from './trust'

const [first, second, third, stranger] = [1, 2, 3, 4].map(() => generateKeyPairSync('ed25519')) as [
  KeyPair,
  KeyPair,
  KeyPair,
  KeyPair,
]
type KeyPair = ReturnType<typeof generateKeyPairSync>
let home: string
beforeEach(() => {
  home = mkdtempSync(join(tmpdir(), 'custode-trust-'))
})
afterEach(() => {
  rmSync(home, { recursive: true })
})

const trust = (builtIn = releaseKeyOf(first, 1)) => new ReleaseTrust(home, builtIn)
const statement = (more: Partial<ReleaseStatement> = {}): ReleaseStatement => ({
  says: 'release',
  program: 'collector/certificates',
  version: '1.0.0',
  platform: 'any',
  sha256: '',
  floor: '0.0.0',
  ...more,
})
const reads = (by: KeyPair, held = trust(), more: Partial<ReleaseStatement> = {}) => {
  try {
    return held.read(signedBy(by, statement(more)), 'collector/certificates', 'any').version
  } catch (error) {
    return (error as Error).message
  }
}

describe('the release key', () => {
  it('changes only by a statement of the key before, one after the other, and never back', () => {
    const changes = [keyStatement(first, second, 2), keyStatement(second, third, 3)]
    expect([reads(first), reads(second), reads(third)]).toEqual([
      '1.0.0',
      expect.stringContaining('its signature'),
      expect.stringContaining('its signature'),
    ])
    expect(
      trust().learn([
        keyStatement(stranger, stranger, 2),
        keyStatement(first, stranger, 3),
        keyStatement(first, stranger, 1),
      ]),
    ).toBe(false)
    expect(trust().learn(changes)).toBe(true)
    // After a restart, too, and in a program that has an earlier key built in.
    expect([reads(first), reads(second), reads(third)]).toEqual([
      expect.stringContaining('its signature'),
      expect.stringContaining('its signature'),
      '1.0.0',
    ])
    expect(trust().learn(changes)).toBe(false)
    expect(reads(stranger, trust(releaseKeyOf(stranger, 4)))).toBe('1.0.0')
  })
  it('that one part of the agent has learned is not forgotten by what another part keeps', () => {
    const [updates, collectors] = [trust(), trust()]
    expect(collectors.floorOf('collector/certificates')).toBe('0.0.0')
    updates.learn([keyStatement(first, second, 2)])
    collectors.raise('collector/certificates', '1.0.0')
    updates.raise('custode-agent', '99.0.0')
    expect([
      reads(first, collectors),
      reads(second, collectors),
      trust().floorOf('collector/certificates'),
      trust().floorOf('custode-agent'),
    ]).toEqual([expect.stringContaining('its signature'), '1.0.0', '1.0.0', '99.0.0'])
  })
  it('is not signed away by words that are no change of the key, or no words at all', () => {
    const held = trust()
    expect(
      held.learn([
        signedBy(first, { ...statement(), serial: 2, key: releaseKeyOf(stranger, 2).key }),
        {} as SignedText,
        { text: 'x', signature: 'y' },
        signedBy(first, { says: 'release key', serial: 2 }),
      ]),
    ).toBe(false)
    expect(reads(first, held)).toBe('1.0.0')
  })
  it('that is missing lets nothing run', () => {
    expect(reads(first, new ReleaseTrust(home, null))).toContain('built without a release key')
  })
  it('that was kept in a file which cannot be read is the one that is built in', () => {
    trust().learn([keyStatement(first, second, 2)])
    writeFileSync(filesOf(home).trust, '{"serial":')
    expect([reads(first), reads(second)]).toEqual(['1.0.0', expect.stringContaining('its signature')])
  })
})

describe('the floor', () => {
  it('rises and never sinks, for each program by itself, and outlives a restart and a change of the key', () => {
    const held = trust()
    held.raise('collector/certificates', '1.2.0')
    held.raise('collector/certificates', '1.1.0')
    held.learn([keyStatement(first, second, 2)])
    expect([reads(second, trust(), { version: '1.1.9' }), reads(second, trust(), { version: '1.2.0' })]).toEqual([
      expect.stringContaining('older than 1.2.0'),
      '1.2.0',
    ])
    expect(trust().floorOf('custode-agent')).toBe(releaseFloor)
  })
})

it('what the build signs is what openssl(1) verifies with the public half', () => {
  const folder = join(home, 'keys')
  const run = (code: string) =>
    execFileSync(
      process.execPath,
      [
        '--input-type=module',
        '-e',
        `const m = await import(${JSON.stringify(join(root, 'launcher/releaseKey.mjs'))}); ${code}`,
      ],
      { encoding: 'utf8', env: { ...process.env, CUSTODE_RELEASE_KEYS: folder } },
    )
  const file = join(home, 'program.gz')
  writeFileSync(file, 'a program')
  const key = JSON.parse(
    run(
      `const key = m.ensureReleaseKey(); m.signRelease(${JSON.stringify(file)}, { program: 'custode-agent', version: '9.0.0', platform: 'linux-x64', floor: '9.0.0' }); console.log(JSON.stringify(key))`,
    ),
  ) as { serial: number; key: string }
  const { text, signature } = JSON.parse(execFileSync('cat', [`${file}.signed`], { encoding: 'utf8' })) as SignedText
  writeFileSync(join(home, 'text'), text)
  writeFileSync(join(home, 'signature'), Buffer.from(signature, 'base64'))
  writeFileSync(join(home, 'key.pem'), `-----BEGIN PUBLIC KEY-----\n${key.key}\n-----END PUBLIC KEY-----\n`)
  expect(
    execFileSync(
      'openssl',
      [
        'pkeyutl',
        '-verify',
        '-pubin',
        '-inkey',
        join(home, 'key.pem'),
        '-rawin',
        '-in',
        join(home, 'text'),
        '-sigfile',
        join(home, 'signature'),
      ],
      { encoding: 'utf8' },
    ),
  ).toContain('Verified Successfully')
  expect((JSON.parse(text) as ReleaseStatement).sha256).toBe(
    execFileSync('sha256sum', [file], { encoding: 'utf8' }).split(' ')[0],
  )
  // A change of the key is learned by who has the first one built in.
  execFileSync(process.execPath, [join(root, 'launcher/main.mjs'), 'release-key', 'renew'], {
    env: { ...process.env, CUSTODE_RELEASE_KEYS: folder },
  })
  const after = JSON.parse(run('console.log(JSON.stringify([m.ensureReleaseKey(), m.keyChanges()]))')) as [
    typeof key,
    SignedText[],
  ]
  const again = new ReleaseTrust(home, key)
  expect([after[0].serial, after[0].key === key.key, again.learn(after[1])]).toEqual([2, false, true])
})
