import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test, type Page } from '@playwright/test'
import type { BoardPage, Client, Enrolment, SweepPlanView } from '#contract'
import { installStatus, type Facts } from '#core'
import { choose, group, signIn, url, tick } from './day'

test.describe.configure({ mode: 'serial' })
let folder: string
const running: ChildProcess[] = []
test.beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'custode-hand-'))
})
const agentOfHand = () => `^${folder}/usr/local/lib/custode-agent/custode-agent run`
/** Ends what was started, and takes its folder away once nothing writes there any more. */
async function endAll(): Promise<void> {
  for (const child of running.splice(0))
    try {
      process.kill(-child.pid!)
    } catch {
      /* it ended by itself */
    }
  // The agent goes on in the background when its installation has ended.
  spawnSync('pkill', ['-f', agentOfHand()])
  await expect.poll(() => spawnSync('pgrep', ['-f', agentOfHand()]).status, { timeout: 60_000 }).toBe(1)
  rmSync(folder, { recursive: true, force: true, maxRetries: 20, retryDelay: 200 })
}
test.afterAll(endAll)

/** Runs a line of shell; gives what it has said so far, and ends when asked for. */
function shell(line: string): { said(): string; ended: Promise<number | null> } {
  const child = spawn('sh', ['-c', line], { detached: true, stdio: ['ignore', 'pipe', 'pipe'] })
  running.push(child)
  let text = ''
  for (const stream of [child.stdout, child.stderr])
    stream.on('data', (chunk: Buffer) => {
      text += chunk.toString()
    })
  return { said: () => text, ended: new Promise((resolve) => child.on('exit', resolve)) }
}

async function makeKey(page: Page): Promise<string> {
  await page.goto(`${url()}/rollout`)
  await choose(page.getByLabel('Site'), 'Lanternfield IT · Workshop')
  await page.getByRole('button', { name: 'Make a key' }).click()
  return page.locator('.command pre').innerText()
}
/** The command as it stands on the page, into a folder of its own instead of the whole machine. */
const here = (command: string, name: string) =>
  command.replace('sudo sh', 'sh').concat(` --root '${folder}' --name ${name}`)

test('one machine by hand: the command from the page, run, and the page tells how far it has come', async ({
  page,
}) => {
  await signIn(page)
  const command = await makeKey(page)
  const progress = page.getByRole('region', { name: 'Progress' })
  await expect(progress).toContainText('Waiting for a machine to enrol')
  const { said } = shell(here(command, 'lf-hand-1'))
  await expect(progress.locator('li.done', { hasText: 'Enrolled' })).toContainText(
    'as lf-hand-1 at Lanternfield IT, Workshop',
  )
  await expect(progress.locator('li.done', { hasText: 'First readings' })).toBeVisible()
  await expect(progress.locator('li.done', { hasText: 'Roster' })).toContainText(/\d+ watches in force/)
  await expect(progress.locator('li.stuck', { hasText: 'Starts at boot' })).toContainText(
    'will not come back after a restart',
  )
  expect(said()).toContain('nothing starts it at boot')
  // Nothing that was typed to install it, the key in it, stays in the list of processes.
  expect(spawnSync('ps', ['-eo', 'args'], { encoding: 'utf8' }).stdout).not.toContain(command.split(' ').pop()!)
  await progress.getByRole('link', { name: 'lf-hand-1' }).click()
  await expect(page.getByRole('heading', { name: 'lf-hand-1' })).toBeVisible()
  await expect(
    page.getByRole('link', { name: 'All services' }).or(page.getByText('There is no service manager here')).first(),
  ).toBeVisible()
})

test('a sweep of a range with forty hosts: what answered, what it seems to be, and what has an agent', async ({
  page,
}) => {
  await signIn(page)
  await page.goto(`${url()}/rollout?part=sweep`)
  await choose(page.getByLabel('Site'), 'Lanternfield IT · Workshop')
  await choose(page.getByLabel('From device'), 'lf-hand-1')
  await expect(page.getByLabel('Range')).toHaveValue('127.20.0.0/25')
  await page.getByLabel('Range').fill('127.30.0.0/24')
  await page.getByRole('button', { name: 'Sweep', exact: true }).click()
  await expect(page.getByText('127.30.0.0/24 is not within the networks of this site')).toBeVisible()
  await page.getByLabel('Range').fill('127.0.0.0/19')
  await page.getByRole('button', { name: 'Sweep', exact: true }).click()
  await expect(page.getByText('127.0.0.0/19 is too large')).toBeVisible()
  await page.getByLabel('Range').fill('127.20.0.0/25')
  await page.getByRole('button', { name: 'Sweep', exact: true }).click()
  const list = page.getByRole('table', { name: 'Sweeps' })
  await expect(list).toContainText('waiting for lf-hand-1 to take it')
  await expect(list).toContainText('all 126 scanned', { timeout: 180_000 })
  await expect(list).toContainText('40 answered')
  const hosts = page.getByRole('region', { name: 'What answered' })
  await expect(hosts.getByRole('row')).toHaveCount(41)
  await expect(hosts.getByRole('row', { name: /127\.20\.0\.3 / })).toContainText('Linux or Unix')
  await expect(hosts.getByRole('row', { name: /127\.20\.0\.6 / })).toContainText('Windows')
  await expect(hosts.getByRole('row', { name: /127\.20\.0\.12 / })).toContainText('printer')
  await choose(page.getByLabel('When'), 'every Monday')
  await page.getByLabel('At', { exact: true }).fill('02:30')
  await page.getByRole('button', { name: 'Plan it' }).click()
  await expect(page.getByText('every Monday, next')).toBeVisible()
  const [plan] = (await (await page.request.get(`${url()}/api/sweep-plans`)).json()) as SweepPlanView[]
  expect(
    new Date(plan!.nextAt!).toLocaleString('en-GB', {
      timeZone: plan!.zone,
      weekday: 'short',
      hour: '2-digit',
      minute: '2-digit',
    }),
  ).toBe('Mon 02:30')
  await page.getByRole('button', { name: 'stop repeating' }).click()
  await expect(page.getByText('every Monday, next')).toHaveCount(0)
})

test('whoever stops at the door is told why: a key that does not exist, one that is used up, a name in use in another case', async ({
  page,
}) => {
  await signIn(page)
  await endAll()
  const usedUp = await makeKey(page)
  await page.getByRole('region', { name: 'Progress' }).waitFor()
  const wrong = shell(here(usedUp.replace(/\S+$/, 'not-a-key-of-ours'), 'lf-hand-2'))
  expect(await wrong.ended).toBe(installStatus['refused-by-the-server'])
  expect(wrong.said()).toContain('The enrolment key is unknown, used up, expired or revoked')
  await expect(page.getByRole('heading', { name: /a key that does not exist/ })).toBeVisible()
  await expect(page.getByRole('row', { name: /lf-hand-2/ })).toContainText('127.0.0.1')

  const taken = shell(here(usedUp, 'LF-Hand-1'))
  expect(await taken.ended).toBe(installStatus['refused-by-the-server'])
  expect(taken.said()).toContain('has a device named “lf-hand-1” already')
  const progress = page.getByRole('region', { name: 'Progress' })
  await expect(progress.locator('li.stuck')).toContainText('The name is in use: lf-hand-1')
  // It is the same machine: the device goes on with its history, and the old agent is refused.
  await progress.getByRole('button', { name: 'It is lf-hand-1, reinstalled' }).click()
  await expect(page.getByText(/take lf-hand-1 over/)).toBeVisible()
  const { said } = shell(here(usedUp, 'LF-Hand-1'))
  await expect.poll(said).toContain('Enrolled as')
  await expect(progress.locator('li.done', { hasText: 'First readings' })).toBeVisible()

  // Once more changes nothing but the program.
  const again = shell(`${here(usedUp, 'lf-hand-3')} --no-run`)
  expect(await again.ended).toBe(0)
  expect(again.said()).toContain('enrolled already, as lf-hand-1')
  // Nobody ends it before: the one that is left running in the background ends with its removal.
  const undone = shell(`'${folder}/usr/local/lib/custode-agent/custode-agent' uninstall --root '${folder}'`)
  expect(await undone.ended).toBe(0)
  expect(readdirSync(folder)).toEqual([])
  expect(spawnSync('pgrep', ['-f', agentOfHand()], { encoding: 'utf8' }).stdout).toBe('')
})

test('zero touch: a standing rule, a newcomer, and by itself its roles, its roster and who asked is told', async ({
  page,
}) => {
  await signIn(page)
  await page.goto(`${url()}/rollout?part=newcomers`)
  await page.getByRole('button', { name: 'Add a rule' }).click()
  await page.getByLabel('Name pattern').fill('bb-plant-*')
  const preview = page.getByRole('complementary', { name: 'Preview' })
  await expect(preview).toContainText('3 devices')
  await page.getByLabel('Network', { exact: true }).fill('192.0.2.7/24')
  await expect(page.getByRole('alert')).toContainText('is no network')
  await page.getByLabel('Network', { exact: true }).fill('')
  await page.getByLabel('Name pattern').fill('lf-zero-*')
  await page.getByLabel('Tags').fill('fresh')
  await expect(preview).toContainText('0 devices')
  await page.getByLabel('Name', { exact: true }).fill('Workshop machines')
  await page.getByRole('button', { name: 'Save rule' }).click()
  await expect(page.getByText('Give every new device named lf-zero-*')).toBeVisible()

  await page.goto(`${url()}/rounds`)
  const clients = (await (await page.request.get(`${url()}/api/clients`)).json()) as Client[]
  const { key } = (await (
    await page.request.post(`${url()}/api/enrolment-keys`, {
      data: { siteId: clients.find((client) => client.code === 'lf')!.sites[0]!.id, uses: 1, days: 1, kind: 'server' },
    })
  ).json()) as { key: string }
  const enrolment = (await (
    await page.request.post(`${url()}/api/agent/enrol`, {
      data: { version: 1, key, name: 'lf-zero-1', osFamily: 'linux', osName: 'Debian 12', sentAt: Date.now() },
    })
  ).json()) as Enrolment
  const facts: Facts = {
    services: ['nginx', 'postgresql'].map((name) => ({ name, title: name, start: 'automatic', state: 'running' })),
  }
  await page.request.post(`${url()}/api/agent/reports`, {
    headers: { authorization: `Bearer ${enrolment.deviceKey}` },
    data: {
      version: 1,
      sentAt: Date.now(),
      oldest: 1,
      reports: [{ seq: 1, at: Date.now(), interval: 2000, readings: [['cpu.busy', '', 0.1]], facts }],
    },
  })
  const told = group(page, 'Notices')
  await expect(told).toContainText('lf-zero-1 appeared at Lanternfield IT, Workshop')
  await told.getByRole('link', { name: /lf-zero-1/ }).click()
  await expect(page.getByText('database, web')).toBeVisible()
  await page.getByRole('tab', { name: 'Roster' }).click()
  await expect(page.locator('.watch', { hasText: 'nginx' }).first()).toBeVisible()
  await page.goto(`${url()}/rounds`)
  await group(page, 'Notices').getByRole('button', { name: 'mark as seen' }).click()
  await expect(group(page, 'Notices')).toHaveCount(0)
})

test('roles seen are accepted for all alike, and a device is renamed, taken out of use and brought back', async ({
  page,
}) => {
  await signIn(page)
  await page.goto(`${url()}/rollout?part=roles`)
  const tills = group(page, 'workstation')
  await expect(tills).toContainText('it runs Windows 11')
  await tills
    .getByRole('row', { name: /bb-shop-04/ })
    .getByRole('button', { name: 'decline' })
    .click()
  // The head, and three.
  await expect(tills.getByRole('row')).toHaveCount(4)
  await tills.getByRole('button', { name: 'Accept all 3' }).click()
  await expect(tills).toHaveCount(0)
  const devices = ((await (await page.request.get(`${url()}/api/devices?limit=500`)).json()) as BoardPage).devices
  expect(
    devices
      .filter((device) => device.name.startsWith('bb-shop'))
      .map((device) => [device.name, device.roles.includes('workstation')]),
  ).toEqual([
    ['bb-shop-01', true],
    ['bb-shop-02', true],
    ['bb-shop-03', true],
    ['bb-shop-04', false],
  ])

  await page.goto(`${url()}/estate/${devices.find((device) => device.name === 'lf-zero-1')!.id}`)
  await expect(page.getByRole('heading', { name: 'lf-zero-1' })).toBeVisible()
  await page.keyboard.press('e')
  const dialog = page.getByRole('dialog', { name: 'Change lf-zero-1' })
  await dialog.getByLabel('Name', { exact: true }).fill('lf-bench-1')
  await dialog.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByRole('heading', { name: 'lf-bench-1' })).toBeVisible()
  await page.keyboard.press('e')
  await tick(page, 'take it out of use')
  await page.getByRole('button', { name: 'Take it out of use' }).click()
  await expect(page.getByRole('heading', { name: 'Estate' })).toBeVisible()
  await expect(page.getByRole('link', { name: 'lf-bench-1' })).toHaveCount(0)
  await page.goto(`${url()}/rollout?part=retired`)
  await page
    .getByRole('row', { name: /lf-bench-1/ })
    .getByRole('button', { name: 'bring back' })
    .click()
  await expect(page.getByText('lf-bench-1 is in use again')).toBeVisible()
})
