import { expect, test, type Page } from '@playwright/test'
import type { WindowList, WindowPage } from '#contract'
import { choose, signIn, tick, url } from './day'

// Windows that repeat, as a technician plans them: in a sentence, on the lanes, and over calendars.
const named = async (page: Page, name: string) => {
  const { windows } = (await (await page.request.get(`${url()}/api/windows`)).json()) as WindowList
  return windows.find((window) => window.name === name)!
}
const pageOf = async (page: Page, id: number) =>
  (await (await page.request.get(`${url()}/api/windows/${id}`)).json()) as WindowPage
/** On the clocks of Vienna, where the bakeries are. */
const there = (at: number) =>
  new Date(at).toLocaleString('sv-SE', { timeZone: 'Europe/Vienna', dateStyle: 'short', timeStyle: 'short' })

test('a window that repeats: what it does is shown before it is saved, also when the clocks change', async ({
  page,
}) => {
  await signIn(page)
  await page.goto(`${url()}/maintenance`)
  await page.getByRole('button', { name: 'Plan a window a', exact: true }).click()
  const dialog = page.getByRole('dialog', { name: 'Hold alerts back' })
  await choose(dialog.getByLabel('Client'), 'Brindle Bakeries')
  await choose(dialog.getByLabel('What'), 'whole families')
  await tick(dialog, /^disks/)
  await choose(dialog.getByLabel('From'), 'a start')
  await dialog.locator('.el-date-editor input').first().fill('2027-03-26 02:30')
  await page.keyboard.press('Enter')
  await choose(dialog.getByLabel('For', { exact: true }), '2 h')
  await choose(dialog.getByLabel('Repeats'), 'daily')
  const preview = dialog.getByRole('complementary')
  // 28 March 2027: from 02:00 to 03:00 there is no time in Vienna (IANA time zone database).
  await expect(preview).toContainText('Sat 27 Mar 02:30 – Sat 27 Mar 04:30')
  await expect(preview).toContainText('Sun 28 Mar 03:30 – Sun 28 Mar 05:30')
  await expect(preview).toContainText('Mon 29 Mar 02:30 – Mon 29 Mar 04:30')
  await expect(preview).toContainText('the clocks skip the time that it begins at, so it begins 1 h later')
  await expect(preview).toContainText(/[1-9]\d* posts? held/)
  await dialog.getByLabel('Name').fill('Oven controllers, nightly')
  await dialog.getByLabel('Ticket').fill('LF-4711')
  await dialog.getByRole('button', { name: 'Hold alerts back' }).click()
  await expect(page.getByText('The window is planned.')).toBeVisible()
  const { id } = await named(page, 'Oven controllers, nightly')
  expect((await pageOf(page, id)).coming.slice(1, 4).map(({ from }) => there(from))).toEqual([
    '2027-03-27 02:30',
    '2027-03-28 03:30',
    '2027-03-29 02:30',
  ])

  await page.goto(`${url()}/maintenance/${id}`)
  await expect(
    page.getByText(/services, disks of every device at Brindle Bakeries at 02:30 for 2 h, every day/),
  ).toBeVisible()
  await page
    .getByRole('row', { name: /Sat 27 Mar/ })
    .getByRole('button', { name: 'Skip' })
    .click()
  await expect(page.getByText('Skipped: Sat 27 Mar 02:30')).toBeVisible()
  await expect(page.getByRole('row', { name: /Sat 27 Mar/ })).toHaveCount(0)
  await page.getByRole('button', { name: 'let it come after all' }).click()
  await expect(page.getByRole('row', { name: /Sat 27 Mar/ })).toBeVisible()
  await page
    .getByRole('row', { name: /Mon 29 Mar/ })
    .getByRole('button', { name: 'Change' })
    .click()
  const change = page.getByRole('dialog', { name: 'Change a window' })
  await choose(change.getByLabel('Which times'), 'all that are to come')
  await change.getByLabel('Why changed').fill('Later shift')
  await choose(change.getByLabel('For', { exact: true }), '3 h')
  await change.getByRole('button', { name: 'Save the change' }).click()
  await expect(page.getByText('Later shift')).toBeVisible()
  await expect(page.getByRole('row', { name: /Sun 28 Mar 03:30 Sun 28 Mar 06:30/ })).toBeVisible()
})

test('on the lanes: drawn, moved by mouse, stretched by keyboard, and free times found', async ({ page }) => {
  await signIn(page)
  await page.goto(`${url()}/maintenance?days=3&from=2027-06-01`)
  const track = page.locator('[data-lane="Tidemill Ferries"]')
  const box = (await track.boundingBox())!
  const hours = (count: number) => box.x + (count / 72) * box.width
  const drag = async (from: number, to: number, y: number) => {
    await page.mouse.move(hours(from), y)
    await page.mouse.down()
    await page.mouse.move(hours((from + to) / 2), y, { steps: 3 })
    await page.mouse.move(hours(to), y, { steps: 3 })
    await page.mouse.up()
  }
  await drag(10, 14, box.y + 12)
  const dialog = page.getByRole('dialog', { name: 'Hold alerts back' })
  await expect(dialog.getByLabel('Where').and(page.getByRole('combobox'))).toBeVisible()
  await dialog.getByLabel('Name').fill('Radar cabling')
  await dialog.getByRole('button', { name: 'Hold alerts back' }).click()
  await expect(page.getByText('The window is planned.')).toBeVisible()
  const at = (time: string) => Date.parse(`2027-06-01T${time}:00+00:00`)
  const times = async () => {
    const { from, until } = await named(page, 'Radar cabling')
    return [from, until]
  }
  // The browser's clocks are UTC, those of the site an hour ahead in June: drawn from 10 to 14.
  const [from, until] = await times()
  expect(until! - from!).toBe(4 * 3_600_000)
  expect(Math.abs(from! - at('10:00'))).toBeLessThanOrEqual(3_600_000)

  const span = track.getByRole('button', { name: /Radar cabling/ })
  const middle = (await span.boundingBox())!
  await page.mouse.move(middle.x + middle.width / 2, middle.y + 8)
  await page.mouse.down()
  await page.mouse.move(middle.x + middle.width / 2 + box.width / 12, middle.y + 8, { steps: 6 })
  await page.mouse.up()
  const change = page.getByRole('dialog', { name: 'Change a window' })
  await change.getByLabel('Why changed').fill('Ferry is late')
  await change.getByRole('button', { name: 'Save the change' }).click()
  await expect(page.getByText('Changed. It is in force as it stands.')).toBeVisible()
  await expect.poll(times).toEqual([from! + 6 * 3_600_000, until! + 6 * 3_600_000])

  // Once the page has heard of it, too: what comes meanwhile would put back what is being stretched.
  await expect.poll(async () => ((await span.boundingBox())?.x ?? 0) - middle.x).toBeGreaterThan(box.width / 12 - 6)
  await span.focus()
  await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('Enter')
  await change.getByRole('button', { name: 'Save the change' }).click()
  await expect.poll(times).toEqual([from! + 6 * 3_600_000, until! + 7 * 3_600_000])

  await page.getByRole('button', { name: 'When is nothing planned?' }).click()
  await choose(page.getByLabel('Free at'), 'Tidemill Ferries')
  await choose(page.getByLabel('After'), '15')
  await choose(page.getByLabel('Before'), '23')
  const free = page.getByRole('list', { name: 'Free times' })
  await expect(free.getByRole('button')).toHaveCount(3)
  await expect(free).toContainText('on the clocks of Europe/Lisbon')
})

test('a calendar goes out, is changed elsewhere, and comes in again; a feed is read until it is revoked', async ({
  page,
}) => {
  await signIn(page)
  await page.goto(`${url()}/maintenance/calendar`)
  const downloading = page.waitForEvent('download')
  await page.getByRole('link', { name: 'Download' }).click()
  const chunks: Buffer[] = []
  for await (const chunk of await (await downloading).createReadStream()) chunks.push(chunk as Buffer)
  const calendar = Buffer.concat(chunks).toString()
  expect(calendar).toContain('SUMMARY:Oven line\\, weekly restart')
  const changed = calendar.replace(/(SUMMARY:Oven line\\, weekly restart)/, '$1 of both')
  await page.setInputFiles('input[type=file]', {
    name: 'plan.ics',
    mimeType: 'text/calendar',
    buffer: Buffer.from(changed),
  })
  const row = page.getByRole('row', { name: /Oven line, weekly restart of both/ })
  await expect(row).toContainText('changes the window')
  await expect(page.getByRole('row', { name: /Patch Tuesday, ticketing/ })).toContainText('is there already, the same')
  await page.getByRole('button', { name: /Take in 1 entry/ }).click()
  await expect(row).toContainText('taken in')
  expect((await pageOf(page, (await named(page, 'Oven line, weekly restart of both')).id)).revision).toBe(2)
  await page.setInputFiles('input[type=file]', {
    name: 'no.ics',
    mimeType: 'text/calendar',
    buffer: Buffer.from('no calendar'),
  })
  await expect(page.getByRole('alert').filter({ hasText: 'BEGIN:VCALENDAR' })).toBeVisible()

  await page.getByLabel('For', { exact: true }).fill('the wall')
  await page.getByRole('button', { name: 'Make it' }).click()
  const address = (await page
    .getByRole('status')
    .filter({ hasText: 'not shown again' })
    .locator('.mono')
    .textContent())!
  const read = async () => (await page.request.get(address)).status()
  expect(await read()).toBe(200)
  await page
    .getByRole('row', { name: /the wall/ })
    .getByRole('button', { name: 'Revoke' })
    .click()
  await page.getByRole('dialog').getByRole('button', { name: 'Revoke' }).click()
  await expect.poll(read).toBe(404)
})
