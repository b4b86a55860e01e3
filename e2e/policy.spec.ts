import { execFile } from 'node:child_process'
import { mkdtempSync, writeFileSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { expect, test, type Locator, type Page } from '@playwright/test'
import type { BoardPage, RosterWatch } from '#contract'
import { choose, openDevice, saveBy, setValue, signIn, url, tick } from './day'

const run = promisify(execFile)
test.describe.configure({ mode: 'serial' })

const openTemplate = async (page: Page, name: string) => {
  await page.goto(`${url()}/policy?part=templates`)
  await page.getByRole('link', { name, exact: true }).click()
  await expect(page.getByLabel('Name of the template')).toHaveValue(name)
}
const openRoster = async (page: Page, device: string) => {
  await openDevice(page, device)
  await page.getByRole('tab', { name: 'Roster' }).click()
}
const watch = (page: Page, name: string) => page.locator('.watch', { has: page.getByText(name, { exact: true }) })
const condition = (within: Locator | Page, n: number) => within.getByLabel(`Condition ${n}`, { exact: true })
/** Makes devices until the template reaches at least so many. */
async function devicesLike(page: Page, count: number): Promise<void> {
  const sites = (await (await page.request.get(`${url()}/api/clients`)).json()) as {
    id: number
    sites: { id: number }[]
  }[]
  const { key } = (await (
    await page.request.post(`${url()}/api/enrolment-keys`, {
      data: {
        siteId: sites[0]!.sites[0]!.id,
        label: 'many',
        uses: 200,
        days: 1,
        kind: 'server',
        roles: ['print'],
        tags: ['many'],
      },
    })
  ).json()) as { key: string }
  for (let i = 0; i < count; i++)
    await page.request.post(`${url()}/api/agent/enrol`, {
      data: { version: 1, key, name: `print-${i}`, osFamily: 'linux', osName: 'Debian 12', sentAt: Date.now() },
    })
}

test('a target is built of nested conditions, and the count of devices follows', async ({ page }) => {
  await signIn(page)
  await page.getByRole('link', { name: 'Policy' }).click()
  await expect(page.getByRole('button', { name: 'Assign a template' })).toBeVisible()
  await page.keyboard.press('a')
  const dialog = page.getByRole('dialog', { name: 'Assign a template' })
  const count = dialog.locator('[data-matches]')
  await choose(dialog.getByLabel('Template'), 'Backup host')
  await expect(dialog.getByText('Choose a role.')).toBeVisible()
  await expect(dialog.getByRole('button', { name: /Assign to/ })).toBeDisabled()
  await choose(condition(dialog, 1), 'is a')
  const servers = Number.parseInt(await count.innerText())
  await dialog.getByRole('button', { name: 'add “any of”' }).click()
  await choose(condition(dialog, 1).last(), 'belongs to')
  await choose(dialog.getByLabel('Client', { exact: true }), 'Saltmarsh Veterinary')
  await expect(dialog.getByText('every server at Saltmarsh Veterinary')).toBeVisible()
  await expect.poll(async () => Number.parseInt(await count.innerText())).toBeLessThan(servers)
  const atOne = Number.parseInt(await count.innerText())
  await dialog.locator('fieldset fieldset').getByRole('button', { name: 'add a condition' }).click()
  await choose(condition(dialog, 2), 'is named')
  await dialog.getByLabel('Name', { exact: true }).fill('^tm-.*$')
  await expect(dialog.getByText(/is written as a regular expression/)).toBeVisible()
  await dialog.getByLabel('Name', { exact: true }).fill('tm-tickets-*')
  await expect.poll(async () => Number.parseInt(await count.innerText())).toBe(atOne + 2)
  await dialog.getByRole('button', { name: 'leave some out' }).last().click()
  await choose(condition(dialog, 1).last(), 'is one of')
  await dialog.getByLabel('Add a device').fill('tickets-2')
  await page.getByRole('option', { name: /tm-tickets-2/ }).click()
  await expect(
    dialog.getByText('every server at Saltmarsh Veterinary or named tm-tickets-*, except tm-tickets-2'),
  ).toBeVisible()
  await expect(count).toHaveText(`${atOne + 1} devices`)
  await dialog.getByRole('button', { name: 'which?' }).click()
  await expect(dialog.locator('.found .names')).toContainText('tm-tickets-1')
  await tick(dialog, 'Paused: listed, not evaluated')
  await dialog.getByLabel('Reason', { exact: true }).fill('Tried before it counts')
  await saveBy(dialog.getByRole('button', { name: `Assign, paused, to ${atOne + 1} devices` }))
  await expect(page.getByText('Assigned. The devices have it.')).toBeVisible()
  await openRoster(page, 'tm-tickets-1')
  await expect(watch(page, 'Nightly backup')).toContainText('paused')
  await page.goto(`${url()}/policy?part=assignments`)
  const row = page.getByRole('row', { name: /Tried before it counts/ })
  await row.getByRole('button', { name: 'resume' }).click()
  await expect(page.getByRole('dialog').locator('.impact')).toContainText('watches added')
  await saveBy(page.getByRole('button', { name: /^Resume, for \d+ devices$/ }))
  await expect(row.getByRole('button', { name: 'pause' })).toBeVisible()
  await openRoster(page, 'tm-tickets-1')
  await expect(watch(page, 'Nightly backup')).not.toContainText('paused')
})

test('a template used by 63 devices is edited: the impact is read, it is saved, and the roster of a device follows and is confirmed', async ({
  page,
}) => {
  await signIn(page)
  await devicesLike(page, 63)
  await page.goto(`${url()}/policy?part=library`)
  await page.getByRole('button', { name: /Print server/ }).click()
  await expect(page.getByText('Paper is how some shops work.')).toBeVisible()
  await page.getByRole('button', { name: 'Apply it' }).click()
  await choose(page.getByLabel('Role', { exact: true }), 'print server')
  await choose(condition(page, 1), 'is tagged')
  await page.getByLabel('Tag', { exact: true }).fill('many')
  await expect(page.locator('.impact')).toContainText('63 watches added')
  await saveBy(page.getByRole('button', { name: 'Apply to 63 devices' }))
  await expect(page.getByLabel('Name of the template')).toHaveValue('Print server')

  const service = watch(page, 'Print service')
  await setValue(page, service, 'hold', '7 min')
  const impact = page.locator('.impact')
  await expect(impact).toContainText('63 devices')
  await expect(impact).toContainText('63 altered')
  await impact.getByRole('button', { name: /Print service Hold 60 s → 7 min on 63 devices/ }).click()
  await expect(impact.locator('.rule.gone')).toContainText('stopped for 60 s')
  await expect(impact.locator('.rule').last()).toContainText('stopped for 7 min')
  await expect(impact.locator('.detail .names')).toContainText('print-12')
  await page.getByLabel('Note').fill('Spoolers restart slowly')
  await saveBy(page.getByRole('button', { name: 'Save for 63 devices' }))
  await expect(page.getByText('Saved as revision 2')).toBeVisible()
  await page.getByRole('tab', { name: /Revisions/ }).click()
  await expect(page.getByRole('row', { name: /Spoolers restart slowly/ })).toContainText(
    'Print service: Hold 60 s → 7 min',
  )
  await openRoster(page, 'print-12')
  await expect(watch(page, 'Print service').locator('[data-parameter="hold"]')).toHaveText('7 min')

  // A device with an agent that waits is told, and says so.
  await openTemplate(page, 'Base server')
  await page.getByRole('button', { name: 'More of Free disk space' }).click()
  await setValue(page, watch(page, 'Free disk space').locator('.all'), 'every', '10 s')
  await expect(watch(page, 'Free disk space')).toContainText('It looks every 10 s.')
  await saveBy(page.getByRole('button', { name: /Save for/ }))
  await expect(page.getByText('Saved as revision')).toBeVisible()
  await openRoster(page, 'tm-tickets-1')
  await expect(page.locator('[data-told]')).toContainText('Confirmed by the agent')
})

test('an exception survives the next edit of the template, and shows in the grid and among the exceptions', async ({
  page,
}) => {
  await signIn(page)
  await openRoster(page, 'print-7')
  await watch(page, 'Print service').locator('[data-parameter="hold"]').click()
  await page.getByRole('button', { name: 'Give this device its own value' }).click()
  await page.locator('.editor input').fill('20 min')
  await page.getByRole('button', { name: 'Use', exact: true }).click()
  await page.getByLabel('Reason').fill('The plotter takes its time')
  await saveBy(page.getByRole('button', { name: 'Make the exception' }))
  await expect(watch(page, 'Print service').locator('[data-parameter="hold"]')).toHaveText('20 min')

  await openTemplate(page, 'Print server')
  await setValue(page, watch(page, 'Print service'), 'hold', '3 min')
  await expect(page.locator('.impact')).toContainText('62 devices')
  await expect(page.locator('.impact')).toContainText('1 with exceptions of their own')
  await saveBy(page.getByRole('button', { name: 'Save for 62 devices' }))
  await expect(page.getByText('Saved as revision 3')).toBeVisible()
  for (const [device, hold] of [
    ['print-7', '20 min'],
    ['print-8', '3 min'],
  ] as const) {
    await openRoster(page, device)
    await expect(watch(page, 'Print service').locator('[data-parameter="hold"]')).toHaveText(hold)
  }
  await page.goto(`${url()}/policy`)
  await page.getByRole('button', { name: 'Print server on print server: 63' }).click()
  await page.getByRole('tab', { name: /Exceptions/ }).click()
  await expect(page.getByRole('row', { name: /The plotter takes its time/ })).toContainText('Hold 20 min')
  await page.goto(`${url()}/policy?part=exceptions`)
  const row = page.getByRole('row', { name: /The plotter takes its time/ })
  await row.getByRole('button', { name: 'to its template' }).click()
  const dialog = page.getByRole('dialog', { name: 'Move an exception into its template' })
  await dialog.getByRole('button', { name: 'Move it, for 62 devices' }).click()
  await expect(row).toHaveCount(0)
  await openRoster(page, 'print-8')
  await expect(watch(page, 'Print service').locator('[data-parameter="hold"]')).toHaveText('20 min')
})

test('of two people at one template the second is told and shown the difference, and nobody’s work is lost', async ({
  page,
  browser,
}) => {
  await signIn(page)
  const other = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage()
  await signIn(other)
  await openTemplate(page, 'Web server')
  await openTemplate(other, 'Web server')
  await setValue(page, watch(page, 'Web service'), 'hold', '4 min')
  await setValue(other, watch(other, 'Web service'), 'clear.hold', '9 min')
  await saveBy(other.getByRole('button', { name: /Save for/ }))
  await expect(other.getByText('Saved as revision 2')).toBeVisible()
  const told = page.getByRole('alert').filter({ hasText: 'Revision 2 was saved by Mara Velde while you edited' })
  await expect(told).toContainText('Web service: Clear after 60 s → 9 min')
  await expect(page.getByRole('button', { name: /Save for/ })).toBeDisabled()
  await page.getByRole('button', { name: 'Apply my change to it' }).click()
  await expect(watch(page, 'Web service').locator('.sentence [data-parameter="clear.hold"]')).toHaveText('9 min')
  await saveBy(page.getByRole('button', { name: /Save for/ }))
  await expect(page.getByText('Saved as revision 3')).toBeVisible()
  await page.getByRole('tab', { name: /Revisions/ }).click()
  // What is restored is compared with what the page knows, which has to have heard of its own revision.
  await expect(page.getByRole('row', { name: /^3 / })).toBeVisible()
  await page.getByRole('row', { name: /^1 / }).getByRole('button', { name: 'restore it' }).click()
  await expect(page.getByText('Web service: Hold 4 min → 60 s; Clear after 9 min → 60 s')).toBeVisible()
  await page.getByRole('button', { name: 'Discard' }).click()
  await other.context().close()
})

test('policy goes out as YAML, is edited, comes in again, and the rosters are those of the text', async ({ page }) => {
  await signIn(page)
  const { text: before } = (await (await page.request.get(`${url()}/api/policy/text`)).json()) as { text: string }
  const file = join(mkdtempSync(join(tmpdir(), 'custode-e2e-')), 'policy.yaml')
  const check = (text: string) => {
    writeFileSync(file, text)
    return run(process.execPath, [join(import.meta.dirname, '../dist/programs/policy.mjs'), 'check', file], {
      env: {
        ...process.env,
        CUSTODE_URL: url(),
        CUSTODE_EMAIL: 'lead@lanternfield.example',
        CUSTODE_PASSWORD: 'lantern-at-dusk',
      },
    }).then(
      ({ stdout }) => ({ code: 0, stdout }),
      (error: { code: number; stdout: string }) => error,
    )
  }
  expect(await check(before)).toMatchObject({ code: 0, stdout: 'It says what is in force. Nothing would change.\n' })
  const edited = before.replace('hold: 20 min', 'hold: 11 min')
  expect((await check(edited)).stdout).toContain('Print service: Hold 20 min → 11 min')
  const wrong = await check(before.replace('hold: 20 min', 'hold: 20 parsecs'))
  expect([wrong.code, /policy\.yaml:\d+: Hold: write a duration/.test(wrong.stdout)]).toEqual([1, true])

  await page.goto(`${url()}/policy?part=text`)
  const field = page.getByLabel('Policy as text')
  const open = (text: string) =>
    page
      .locator('input[type=file]')
      .setInputFiles({ name: 'policy.yaml', mimeType: 'text/yaml', buffer: Buffer.from(text) })
  const saved = async () => {
    const [file] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('button', { name: 'save as a file' }).click(),
    ])
    return readFile(await file.path(), 'utf8')
  }
  await expect(field).toContainText('covers:')
  expect(await saved()).toBe(before)
  // Typed at its end: no YAML any more, said at its line, and undone as it was done.
  await field.press('Control+End')
  await field.pressSequentially(']')
  await expect(page.getByRole('alert')).toContainText('1 fault.')
  await expect(page.locator('.cm-lintRange-error').first()).toBeVisible()
  await field.press('Control+z')
  await expect(page.getByText('This is what is in force.')).toBeVisible()
  await open(before.replace('kind: service-state', 'kind: service-stat'))
  await expect(page.getByText('There is no watch kind “service-stat”.').first()).toBeVisible()
  await page
    .getByRole('button', { name: /^line \d+$/ })
    .first()
    .click()
  await expect(page.locator('.cm-activeLine')).toContainText('kind: service-stat')
  await open(edited)
  await expect(page.getByText('Print service: Hold 20 min → 11 min')).toBeVisible()
  await saveBy(page.getByRole('button', { name: 'Apply to 63 devices' }))
  await expect(page.getByText('1 thing changed. The devices have it.')).toBeVisible()
  expect(await saved()).toBe(edited)
  const devices = ((await (await page.request.get(`${url()}/api/devices?limit=500`)).json()) as BoardPage).devices
  const holds = await Promise.all(
    devices
      .filter((device) => /^print-\d$/.test(device.name))
      .map(
        async (device) =>
          ((await (await page.request.get(`${url()}/api/devices/${device.id}/roster`)).json()) as RosterWatch[]).find(
            (each) => each.key === 'services.print',
          )?.values.hold,
      ),
  )
  expect(holds).toEqual(Array(10).fill(660_000))
})

test('what a device would get, and a comparison of two templates', async ({ page }) => {
  await signIn(page)
  await openRoster(page, 'tm-tickets-1')
  await page.getByRole('button', { name: 'What would it get if' }).click()
  await choose(page.getByLabel('With the role'), 'web server')
  await expect(page.locator('.whatif')).toContainText('Web service')
  await page.getByRole('button', { name: 'without web server' }).click()
  await expect(page.getByText('Its roster would stay as it is.')).toBeVisible()
  await page.goto(`${url()}/policy?part=templates`)
  await page.getByLabel('Find templates').fill('disk recover')
  await tick(page, 'Compare Database server')
  await page.getByLabel('Find templates').fill('')
  await tick(page, 'Compare Base server')
  await page.getByRole('link', { name: 'Compare the two' }).click()
  await expect(page.getByRole('row', { name: /Free disk space/ })).toContainText('Warning below: 20 % | ')
})
