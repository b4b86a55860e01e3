import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { chmodSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { expect, test, type Page } from '@playwright/test'
import type { BoardPage, Client, MadeEnrolmentKey, PolicyListing } from '#contract'
import { root } from '../launcher/place.mjs'
import { signRelease } from '../launcher/releaseKey.mjs'
import { choose, group, signIn, url, tick } from './day'

test.describe.configure({ mode: 'serial' })
const packaged = join(root, 'dist/agent', `custode-agent-linux-${process.arch}`)
const releases = join(root, 'dist/agent/releases')
let folder: string
let manager: ChildProcess | null = null

/** Another version that the server hands out: a script in place of the packaged program. */
function release(version: string, script: string): void {
  mkdirSync(join(releases, version), { recursive: true })
  const file = join(releases, version, `custode-agent-linux-${process.arch}.gz`)
  writeFileSync(file, gzipSync(`#!/bin/sh\n${script}\n`))
  signRelease(file, { program: 'custode-agent', version, platform: `linux-${process.arch}`, floor: '0.0.0' })
}

test.beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'custode-upkeep-'))
  // The same agent, which calls itself another version.
  const program = join(folder, 'agent.mjs')
  const current = readFileSync(join(root, 'dist/agent/version'), 'utf8')
  const text = readFileSync(join(root, 'dist/agent/custode-agent.mjs'), 'utf8')
  expect(text.split(`agentVersion = "${current}"`)).toHaveLength(2)
  writeFileSync(program, text.replace(`agentVersion = "${current}"`, 'agentVersion = "9.9.1"'))
  release('9.9.1', `exec ${process.execPath} ${program} "$@"`)
  release('9.9.2', `[ "$1" = version ] && echo custode-agent 9.9.2 && exit 0\nexit 1`)
})
test.afterAll(() => {
  if (manager)
    try {
      process.kill(-manager.pid!)
    } catch {
      /* it ended by itself */
    }
  for (const version of ['9.9.1', '9.9.2']) rmSync(join(releases, version), { recursive: true, force: true })
  rmSync(folder, { recursive: true, force: true })
})

/**
 * Installs the packaged agent into a folder of its own, and starts it again whenever it ends, as a service manager
 * would.
 */
async function installHere(page: Page, name: string): Promise<void> {
  const clients = (await (await page.request.get(`${url()}/api/clients`)).json()) as Client[]
  const siteId = clients.find((client) => client.name === 'Lanternfield IT')!.sites[0]!.id
  const { key } = (await (
    await page.request.post(`${url()}/api/enrolment-keys`, {
      data: { siteId, clientId: null, label: '', uses: 1, days: 1, kind: 'server', roles: ['web'], tags: [] },
    })
  ).json()) as MadeEnrolmentKey
  execFileSync(packaged, ['install', '--server', url(), '--key', key, '--name', name, '--root', folder, '--no-run'])
  const starter = join(folder, 'usr/local/lib/custode-agent/start')
  chmodSync(folder, 0o700)
  manager = spawn(
    'sh',
    ['-c', `while :; do sh '${starter}' '${join(folder, 'var/lib/custode-agent')}' --no-refresh; sleep 0.3; done`],
    { detached: true, stdio: 'ignore' },
  )
}
/** Brings the only agent of the client that is behind to a version. */
async function update(page: Page, version: string): Promise<void> {
  await page.getByRole('button', { name: 'Update agents' }).click()
  await choose(page.getByLabel('Whose'), 'every agent at Lanternfield IT')
  await choose(page.getByLabel('Version', { exact: true }), version)
  await page.getByRole('button', { name: 'Update 1 agent' }).click()
}

test('coverage: what roles need is shown before it is added, for stand-ins and for a real agent, and is gone when they collect it', async ({
  page,
}) => {
  await signIn(page)
  await installHere(page, 'lf-upkeep-1')
  await page.goto(`${url()}/rollout?part=coverage`)
  const directory = group(page, 'directory server')
  await directory.getByRole('button', { name: /see what all \d would add/ }).click()
  const added = page.getByRole('complementary', { name: 'What would be added' })
  await expect(added).toContainText('A new template What a directory server needs is assigned to')
  await expect(added).toContainText(/In the DNS Server log, when error or worse/)
  await expect(added.locator('.big')).toHaveText('2 devices')
  await added.getByRole('button', { name: 'Add on 2 devices' }).click()
  await expect(directory).toHaveCount(0)

  await page.getByRole('button', { name: 'device', exact: true }).click()
  const mine = group(page, 'lf-upkeep-1').getByRole('row', { name: /certificates/ })
  await expect(mine).toContainText('certificates neither collected nor watched')
  await mine.getByRole('button', { name: 'see what it would add' }).click()
  await expect(added).toContainText('Agents get the collector certificates, signed by this server.')
  await added.getByRole('button', { name: 'Add on 1 device' }).click()
  await expect(mine).toHaveCount(0)
})

test('a service stops on a machine with a real agent: told of the watch, it starts the service, and nobody has to be told', async ({
  page,
}) => {
  const name = `lf-spooler-${process.pid}`
  const [script, runs] = [`/etc/init.d/${name}`, join(folder, 'spooler-runs')]
  writeFileSync(
    script,
    `#!/bin/sh\ncase "$1" in start) touch ${runs};; stop) rm -f ${runs};; status) [ -e ${runs} ] && echo running || { echo stopped; exit 3; };; esac\n`,
    { mode: 0o755 },
  )
  try {
    await signIn(page)
    const devices = ((await (await page.request.get(`${url()}/api/devices?limit=500`)).json()) as BoardPage).devices
    const { id } = devices.find((device) => device.name === 'lf-upkeep-1')!
    const watch = {
      key: 'services.spooler',
      kind: 'service-state',
      name: 'Spooler',
      why: '',
      osFamilies: [],
      values: {
        which: 'named',
        names: [name],
        expected: 'running',
        hold: 0,
        'clear.hold': 0,
        tries: 2,
        'tries.wait': 10_000,
      },
    }
    const template = (await (
      await page.request.post(`${url()}/api/templates`, {
        data: { name: 'Workshop spooler', description: '', includes: [], watches: [watch] },
      })
    ).json()) as { id: number }
    execFileSync('/usr/sbin/service', [name, 'start'])
    await page.goto(`${url()}/estate/${id}`)
    await page.getByRole('tab', { name: 'Roster' }).click()
    await page.request.post(`${url()}/api/assignments`, {
      data: {
        templateId: template.id,
        target: { on: 'devices', deviceIds: [id] },
        rank: 100,
        values: {},
        dormant: false,
        reason: '',
      },
    })
    await expect(page.getByText('The agent first starts it itself, up to')).toBeVisible()
    await expect(page.locator('[data-told]')).toContainText('Confirmed by the agent')

    execFileSync('/usr/sbin/service', [name, 'stop'])
    await page.getByRole('tab', { name: 'Alerts' }).click()
    const row = page.getByRole('row', { name: new RegExp(name) })
    await expect(row).toContainText(`put right: its agent started ${name}`, { timeout: 180_000 })
    await expect(row).toHaveCount(1)
    execFileSync('/usr/sbin/service', [name, 'status'])
    await page.goto(url())
    await expect(group(page, /Over since/).getByRole('button', { name: new RegExp(name) })).toContainText('put right')
    await expect(group(page, 'To do').getByRole('button', { name: new RegExp(name) })).toHaveCount(0)
    await page.request.delete(
      `${url()}/api/assignments/${((await (await page.request.get(`${url()}/api/policy`)).json()) as PolicyListing).assignments.find((assignment) => assignment.templateId === template.id)!.id}`,
    )
  } finally {
    rmSync(script, { force: true })
  }
})

test('a sweep that signs in: no password before a key is accepted; then what is inside, by the first sign-in that is taken, and who refuses', async ({
  page,
}) => {
  await signIn(page)
  await page.goto(`${url()}/rollout?part=sweep`)
  await choose(page.getByLabel('Site'), 'Lanternfield IT · Workshop')
  await choose(page.getByLabel('From device'), 'lf-upkeep-1')
  await page.getByLabel('Range').fill('127.21.0.8/29')
  for (const name of ['Workshop, old (root)', 'Workshop (root)']) await choose(page.getByLabel('Sign-in'), name)
  await page.getByRole('button', { name: 'Sweep', exact: true }).click()
  const found = group(page, 'What answered')
  await expect(found).toContainText('4 machines show keys that nobody has accepted, so no password was sent there', {
    timeout: 180_000,
  })
  await expect(found.getByRole('row', { name: /127\.21\.0\.11/ })).toContainText(
    /Nobody has accepted its key \(SHA256:/,
  )
  await found.getByRole('button', { name: 'accept all 4' }).click()
  await expect(page.getByText('4 keys accepted')).toBeVisible()
  await page.getByRole('button', { name: 'Sweep', exact: true }).click()
  await expect(found.getByRole('row', { name: /127\.21\.0\.11/ })).toContainText(/Debian .*, x86_64/, {
    timeout: 180_000,
  })
  await expect(found.getByRole('row', { name: /127\.21\.0\.13/ })).toContainText(
    'Both sign-ins were refused: “Workshop, old” and “Workshop”.',
  )

  await page.getByLabel('Range').fill('127.22.0.0/29')
  await tick(page, /This time also to machines whose key nobody has accepted/)
  await page.getByRole('button', { name: 'Sweep', exact: true }).click()
  await expect(found.getByRole('row', { name: /127\.22\.0\.3/ })).toContainText('Windows Server 2022 Standard, AMD64', {
    timeout: 180_000,
  })
})

test('a wave to machines with Windows’ remote management: one gets its agent, three are told apart', async ({
  page,
}) => {
  await signIn(page)
  await page.goto(`${url()}/rollout?part=waves`)
  await page.getByRole('button', { name: 'Send agents out' }).click()
  const form = page.getByRole('form', { name: 'Send agents out' })
  await choose(form.getByLabel('Site'), 'Lanternfield IT · Workshop')
  await choose(form.getByLabel('From device'), 'lf-upkeep-1')
  await choose(form.getByLabel('Sign-in'), 'Workshop (root)')
  await form.getByLabel('Name', { exact: true }).fill('Windows')
  await form
    .getByLabel('Machines, a name and an address a line (CSV)')
    .fill(['name,address', ...[3, 4, 5, 6].map((n) => `lf-win-${n},127.22.0.${n}`)].join('\n'))
  await form.getByLabel('Sizes of the first waves').fill('4')
  await form.getByRole('button', { name: 'Send agents to 4 machines' }).click()
  const run = group(page, 'Run')
  await expect(run.getByRole('row', { name: /127\.22\.0\.3/ })).toContainText('reports', { timeout: 180_000 })
  await expect(run.getByRole('row', { name: /127\.22\.0\.4/ })).toContainText('no rights')
  await expect(run.getByRole('row', { name: /127\.22\.0\.5/ })).toContainText('sign-in refused')
  await expect(run.getByRole('row', { name: /127\.22\.0\.6/ })).toContainText('disk full')
})

test('a new version of the agent: it runs where it proves itself, and one that does not stay up goes back by itself', async ({
  page,
}) => {
  await signIn(page)
  await page.goto(`${url()}/rollout?part=versions`)
  await update(page, '9.9.1')
  const run = group(page, 'Update')
  await expect(run.getByRole('row', { name: /lf-upkeep-1/ })).toContainText(/reported .* after its start/, {
    timeout: 180_000,
  })
  await expect(page.getByRole('row', { name: /^9\.9\.1 1 Lanternfield IT 1/ })).toBeVisible()

  await update(page, '9.9.2')
  await expect(run.getByRole('heading')).toHaveText('Update to 9.9.2')
  await expect(run.getByRole('row', { name: /lf-upkeep-1/ })).toContainText(
    'version 9.9.2 did not report in time, or did not stay up; 9.9.1 runs again',
    { timeout: 180_000 },
  )
  await expect(run.getByRole('button', { name: 'Try again only the 1 that failed' })).toBeVisible()
  await expect(page.getByRole('row', { name: /^9\.9\.1 1 Lanternfield IT 1/ })).toBeVisible()
})
