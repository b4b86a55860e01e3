import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { BoardPage, SweepPage, WaveRunPage } from '#contract'
import { fingerprintText } from '#core'
import { installAgent, leftOut, openHostHouse, pageOf, until, type HostHouse } from './hostHouse'

// Agents brought onto real hosts over their OpenSSH by an agent in their network.
describe.skipIf(leftOut)('from one host to the others of its network', () => {
  let here: HostHouse
  let relay: number
  let clientId: number
  const folder = mkdtempSync(join(tmpdir(), 'custode-key-'))
  const keyFile = join(folder, 'id')

  beforeAll(async () => {
    here = await openHostHouse()
    execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', keyFile])
    const [first, byPassword, byKey] = await Promise.all([
      here.lan.add('bookworm', 'tm-relay'),
      here.lan.add('bullseye', 'tm-pass'),
      here.lan.add('trixie', 'tm-key'),
    ])
    await byPassword.setPassword('root', 'harbour-wall-9')
    await byKey.sh(`mkdir -p /root/.ssh && cat > /root/.ssh/authorized_keys && chmod 700 /root/.ssh`, {
      input: readFileSync(`${keyFile}.pub`, 'utf8'),
    })
    await installAgent(here, first)
    const page = await until(
      'the relay',
      () => pageOf(here, 'tm-relay'),
      (page) => page.takesTasks && page.heardAt !== null,
    )
    relay = page.id
    clientId = page.clientId
  })
  afterAll(async () => {
    rmSync(folder, { recursive: true })
    await here.close()
  })
  const credential = async (name: string, kind: 'password' | 'private key', secret: string) =>
    (
      await here.house.lead<{ id: number }>('POST', '/api/credentials', {
        clientId,
        siteId: here.siteId,
        name,
        userName: 'root',
        kind,
        secret,
      })
    ).body.id
  const network = () => `${here.lan.gateway.replace(/1$/, '0')}/27`

  it('a sweep finds them, with what answers; signed in, it says what they are', async () => {
    const credentialIds = [
      await credential('Password', 'password', 'harbour-wall-9'),
      await credential('Key', 'private key', readFileSync(keyFile, 'utf8')),
    ]
    const { body } = await here.house.lead<{ id: number; detail?: string }>('POST', '/api/sweeps', {
      siteId: here.siteId,
      deviceId: relay,
      network: network(),
      rule: null,
      at: null,
      credentialIds,
    })
    expect(body.detail).toBeUndefined()
    const sweep = await until(
      'the sweep',
      async () => (await here.house.lead<SweepPage>('GET', `/api/sweeps/${body.id}`)).body,
      (run) => run.state === 'done',
      100_000,
    )
    const found = Object.fromEntries(sweep.hosts.map((host) => [host.address, host]))
    const [, byPassword, byKey] = here.lan.hosts
    for (const host of [byPassword!, byKey!])
      expect(found[host.address]?.ports).toEqual(expect.arrayContaining([22, 80]))
    expect(found[byKey!.address]?.signedIn?.system).toContain('Debian 13')
    // Nobody has accepted the key of the other yet, and a password is given to nobody who is not known.
    expect(found[byPassword!.address]?.signedIn).toMatchObject({
      with: null,
      reason: expect.stringContaining('no password was sent to it') as string,
    })
    expect(await byPassword!.sh('journalctl -t sshd --no-pager')).not.toMatch(/Failed password|Accepted password/)
    // It is the one that the machine itself tells of.
    const { fingerprint } = found[byPassword!.address]!.key!
    expect(await byPassword!.sh('for key in /etc/ssh/ssh_host_*_key.pub; do ssh-keygen -l -f $key; done')).toContain(
      fingerprintText(fingerprint),
    )
    expect(
      (
        await here.house.lead('POST', `/api/sites/${here.siteId}/host-keys`, {
          keys: [{ address: byPassword!.address, fingerprint }],
        })
      ).body,
    ).toEqual({ accepted: 1 })
    const again = (
      await here.house.lead<{ id: number }>('POST', '/api/sweeps', {
        siteId: here.siteId,
        deviceId: relay,
        network: network(),
        rule: null,
        at: null,
        credentialIds,
      })
    ).body.id
    const second = await until(
      'the second sweep',
      async () => (await here.house.lead<SweepPage>('GET', `/api/sweeps/${again}`)).body,
      (run) => run.state === 'done',
      100_000,
    )
    expect(second.hosts.find((host) => host.address === byPassword!.address)?.signedIn?.system).toContain('Debian 11')
  })

  it('a wave reaches both, one by password and one by key; each reports', async () => {
    const credentialIds = [
      await credential('Password, wave', 'password', 'harbour-wall-9'),
      await credential('Key, wave', 'private key', readFileSync(keyFile, 'utf8')),
    ]
    const machines = here.lan.hosts.slice(1).map((host) => ({ address: host.address, name: host.name }))
    const { body } = await here.house.lead<{ id: number; detail?: string }>('POST', '/api/wave-runs', {
      siteId: here.siteId,
      deviceId: relay,
      name: 'Real',
      kind: 'server',
      roles: [],
      tags: [],
      machines,
      credentialIds,
      waves: [],
      mostFailed: 0.5,
    })
    expect(body.detail).toBeUndefined()
    const run = await until(
      'the wave',
      async () => (await here.house.lead<WaveRunPage>('GET', `/api/wave-runs/${body.id}`)).body,
      (run) => run.state === 'done',
      110_000,
    )
    expect(run.failed).toBe(0)
    const devices = await until(
      'their reports',
      async () => (await here.house.lead<BoardPage>('GET', '/api/devices')).body.devices,
      (all) => all.every((device) => device.heardAt !== null),
    )
    expect(devices.map((device) => `${device.name} ${device.osName} ${device.heardAt !== null}`).sort()).toEqual([
      'tm-key Debian 13 true',
      'tm-pass Debian 11 true',
      'tm-relay Debian 12 true',
    ])
  })
})
