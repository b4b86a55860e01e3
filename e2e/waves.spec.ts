import { execFileSync } from 'node:child_process'
import { rmSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from '@playwright/test'
import { startServer } from '../launcher/demo.mjs'
import { makeFolder } from '../launcher/place.mjs'
import { agentPath, endLeftovers, start, untilServing } from '../launcher/programs.mjs'
import type { BoardPage, Client, WaveRunPage, WaveRunView } from '#contract'
import { choose, group, signIn, url, tick } from './day'

const place = () => process.env.E2E_PLACE!
const addresses = Array.from({ length: 10 }, (_, i) => `127.21.0.${11 + i}`)

test('agents go out in three waves; four kinds of failure, a restart of the server in the middle, and what can be mended succeeds in the end', async ({
  page,
}) => {
  test.setTimeout(900_000)
  await signIn(page)
  const clients = (await (await page.request.get(`${url()}/api/clients`)).json()) as Client[]
  const siteId = clients.find((client) => client.code === 'lf')!.sites[0]!.id
  const { key } = (await (
    await page.request.post(`${url()}/api/enrolment-keys`, { data: { siteId, uses: 1, days: 1, kind: 'server' } })
  ).json()) as { key: string }
  const home = join(place(), 'relay')
  rmSync(home, { recursive: true, force: true })
  makeFolder(home)
  execFileSync(process.execPath, [
    agentPath,
    'enroll',
    '--server',
    url(),
    '--key',
    key,
    '--home',
    home,
    '--name',
    'lf-relay-1',
  ])
  const relay = start(place(), 'agent', [agentPath, 'run', '--home', home, '--no-refresh'])
  await expect
    .poll(
      async () =>
        ((await (await page.request.get(`${url()}/api/devices?limit=500`)).json()) as BoardPage).devices.find(
          (device) => device.name === 'lf-relay-1',
        )?.heardAt ?? 0,
    )
    .toBeGreaterThan(0)

  await page.goto(`${url()}/rollout?part=waves`)
  await page.getByRole('button', { name: 'Send agents out' }).click()
  const form = page.getByRole('form', { name: 'Send agents out' })
  await choose(form.getByLabel('Site'), 'Lanternfield IT · Workshop')
  await choose(form.getByLabel('From device'), 'lf-relay-1')
  await choose(form.getByLabel('Sign-in', { exact: true }), 'Workshop, old (root)')
  await choose(form.getByLabel('Sign-in', { exact: true }), 'Workshop (root)')
  await expect(form).toContainText(
    '“Workshop, old” and “Workshop” are passwords, and go only to machines whose key somebody has accepted',
  )
  await tick(form, /This time also to machines whose key nobody has accepted/)
  await form
    .getByRole('textbox', { name: /Machines/ })
    .fill(`name,address\n${addresses.map((address, i) => `lf-rack-${i + 1},${address}`).join('\n')}\nlf-rack-x,nowhere`)
  await expect(form.getByRole('alert')).toHaveText('line 12: “nowhere” is no address.')
  await form.getByLabel('Sizes of the first waves').fill('1, 3')
  await form.getByLabel('Failures allowed').fill('20')
  await choose(form.getByLabel('Role'), 'the role web server')
  await form.getByLabel('Name', { exact: true }).fill('Racks')
  await form.getByRole('button', { name: 'Send agents to 10 machines' }).click()

  const run = group(page, 'Run')
  await expect(run.getByRole('row', { name: /lf-rack-1 / })).toContainText(
    /looking around|signing in|downloading|installed|reports/,
  )
  // The server dies in the middle of it; the run is in the database and goes on.
  await endLeftovers(place(), ['server'])
  const server = startServer({
    place: place(),
    databaseUrl: process.env.E2E_DATABASE!,
    port: Number(process.env.E2E_PORT),
    interval: 2000,
  })
  await untilServing(url(), server, place())

  // Wave 2 has one of three refused: more than a fifth.
  await expect(run).toContainText('1 of 3 machines of wave 2 failed, more than 20 %', { timeout: 360_000 })
  await expect(run.getByRole('row', { name: /lf-rack-1 / })).toContainText('reports')
  await expect(run.getByRole('row', { name: /lf-rack-3 / })).toContainText('sign-in refused')
  await expect(run.getByRole('row', { name: /lf-rack-5 / })).toContainText('waits')
  await run.getByRole('button', { name: 'Resume' }).click()
  await expect(run.getByText('done, from lf-relay-1')).toBeVisible({ timeout: 360_000 })
  const failures = run.getByRole('group', { name: 'Failures' })
  for (const kind of [
    'sign-in refused: Both sign-ins were refused: “Workshop, old” and “Workshop”.',
    'disk full: Only 10 MB are free',
    'no rights',
    'unsupported system: It runs SunOS',
    'timed out',
  ])
    await expect(failures).toContainText(kind)

  // Three are mended; one was set up anew meanwhile and shows another host key.
  for (const address of ['127.21.0.13', '127.21.0.15', '127.21.0.17', '127.21.0.18?renew'])
    await page.request.post(`${process.env.E2E_HOSTS!}/${address}`)
  await failures.getByRole('button', { name: 'Try again only the 5 that failed' }).click()
  await expect(failures).toContainText('host key changed: The machine shows another key than before', {
    timeout: 360_000,
  })
  await expect(run.getByText('done, from lf-relay-1')).toBeVisible({ timeout: 360_000 })
  // Whoever knows that it was set up anew accepts the new key, and goes there once more.
  await run
    .getByRole('row', { name: /lf-rack-8 / })
    .getByRole('button', { name: 'accept the new key' })
    .click()
  await expect(page.getByText('The key of 127.21.0.18 is accepted')).toBeVisible()
  await failures.getByRole('button', { name: 'Try again only the 2 that failed' }).click()
  await expect(failures).toContainText('unsupported system: It runs SunOS', { timeout: 360_000 })
  await expect(run.getByText('done, from lf-relay-1')).toBeVisible({ timeout: 360_000 })
  const [view] = (await (await page.request.get(`${url()}/api/wave-runs`)).json()) as WaveRunView[]
  const after = (await (await page.request.get(`${url()}/api/wave-runs/${view!.id}`)).json()) as WaveRunPage
  expect(
    after.machines.map((machine) => [machine.address, machine.failure ?? machine.state, machine.attempts]),
  ).toEqual([
    ['127.21.0.11', 'installed', 1],
    ['127.21.0.12', 'installed', 1],
    ['127.21.0.13', 'installed', 2],
    ['127.21.0.14', 'installed', 1],
    ['127.21.0.15', 'installed', 2],
    ['127.21.0.16', 'installed', 1],
    ['127.21.0.17', 'installed', 2],
    ['127.21.0.18', 'unsupported-system', 3],
    ['127.21.0.19', 'timed-out', 3],
    ['127.21.0.20', 'installed', 1],
  ])
  await expect(run.getByText('reports', { exact: true })).toHaveCount(8)
  const devices = (
    (await (await page.request.get(`${url()}/api/devices?limit=500`)).json()) as BoardPage
  ).devices.filter((device) => device.name.startsWith('lf-rack-'))
  expect(devices.map((device) => device.roles)).toEqual(Array(8).fill(['web']))
  await relay.stop('SIGKILL')
})
