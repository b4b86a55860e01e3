import { expect, test } from '@playwright/test'
import { choose, group, openDevice, signIn, url } from './day'

/** One that lasts: nobody installs its updates meanwhile. */
const updates = /security updates waiting/

test('a morning by keyboard: narrowed, taken, promised, noted, read on its page, closed and opened again', async ({
  page,
}) => {
  await signIn(page)
  await page.goto(`${url()}/rounds?severity=warning&family=update`)
  const row = group(page, 'To do').getByRole('button', { name: updates })
  await expect(row).toContainText('sv-desk-02')
  await expect(group(page, 'To do').getByRole('button', { name: /bakery-orders/ })).toHaveCount(0)
  // The first one is chosen; down and up again, beyond both ends.
  for (const key of ['j', 'j', 'k', 'k', 'k']) await page.keyboard.press(key)
  await expect(row).toHaveAttribute('aria-current', 'true')
  await expect(page.getByRole('button', { name: /^Take/ })).toBeVisible()
  await page.keyboard.press('t')
  const mine = group(page, 'Being worked on').getByRole('button', { name: updates })
  await expect(mine).toContainText('taken by')

  await page.keyboard.press('f')
  await expect(page.getByLabel('What is promised')).toBeFocused()
  await page.keyboard.type('ask them to restart it')
  await page.keyboard.press('Enter')
  await expect(mine).toContainText(/looked at again by .*: ask them to restart it/)
  await page.keyboard.press('Escape')
  await mine.focus()
  await page.keyboard.press('a')
  await page.keyboard.type('they are at lunch')
  await page.keyboard.press('Enter')
  await expect(page.getByText('Noted.')).toBeVisible()

  await mine.click()
  await page.keyboard.press('e')
  await expect(page).toHaveURL(/\/alerts\/\d+$/)
  const happened = page.getByRole('region', { name: 'What happened' })
  await expect(happened.getByText(/note by Mara Velde: they are at lunch/)).toBeVisible()
  await expect(happened.getByText(/looked at again by .*ask them to restart it/)).toBeVisible()
  await expect(page.getByText('It is the first of its kind.')).toBeVisible()
  await page.keyboard.press('q')
  await expect(happened.getByText(/asked its agent to read everything again by Mara Velde/)).toBeVisible()
  const address = page.url()

  await page.goto(`${url()}/rounds/shift`)
  await expect(page.getByRole('region', { name: 'Mara Velde has' })).toContainText('ask them to restart it')

  await page.goto(address)
  await expect(page.getByRole('button', { name: /^Give back/ })).toBeVisible()
  await page.keyboard.press('c')
  await expect(page.getByLabel('Why it is closed')).toBeFocused()
  await page.keyboard.type('they replace this machine on Monday')
  await page.keyboard.press('Enter')
  await expect(page.getByText(/closed by Mara Velde: “they replace this machine on Monday”/)).toBeVisible()
  await page.goto(`${url()}/rounds?family=update`)
  const closed = group(page, /Closed by hand/).getByRole('button', { name: updates })
  await expect(closed).toContainText('they replace this machine on Monday')
  await closed.click()
  await page.getByRole('button', { name: 'Open again' }).click()
  await expect(row).toBeVisible()
})

test('what went on since a chosen time is told as over, and stands in the address', async ({ page }) => {
  await signIn(page)
  await page.getByRole('button', { name: 'Mark all as seen' }).click()
  await expect(group(page, /^Over since/)).toHaveCount(0)
  await page.getByRole('button', { name: 'narrow', exact: true }).click()
  await choose(page.getByLabel('Over since'), 'a week ago')
  await expect(page).toHaveURL(/since=7d/)
  const over = group(page, /^Over since/)
  await expect(over.getByRole('button', { name: /nginx was stopped/ }).first()).toContainText(/for \d+ min/)
  await page.reload()
  await expect(over.getByRole('button', { name: /nginx was stopped/ }).first()).toBeVisible()
  await page.goto(`${url()}/rounds`)
  await page.getByRole('button', { name: 'Mark all as seen' }).click()
  await page.getByRole('button', { name: 'undo' }).first().click()
})

test('the page of an alert fits a telephone, and paper', async ({ page }) => {
  await signIn(page)
  await group(page, 'To do')
    .getByRole('button', { name: /srv\/images/ })
    .click()
  await page.getByRole('link', { name: 'its page' }).click()
  await expect(page.getByRole('heading', { name: 'Readings' })).toBeVisible()
  await page.setViewportSize({ width: 390, height: 844 })
  await expect(page.getByRole('button', { name: /^Take/ })).toBeVisible()
  await expect.poll(() => page.evaluate<number>('document.documentElement.scrollWidth')).toBeLessThanOrEqual(390)
  await page.setViewportSize({ width: 1280, height: 800 })
  await page.emulateMedia({ media: 'print' })
  await expect(page.getByRole('navigation').first()).toBeHidden()
  await expect(page.getByRole('button', { name: /^Take/ })).toBeHidden()
  await expect(page.getByRole('region', { name: 'What happened' })).toBeVisible()
})

test('why there is an alert, or none, is told for seven different reasons, now and in the past', async ({ page }) => {
  await signIn(page)
  const steps = page.getByRole('list', { name: 'Steps' }).getByRole('listitem')
  const why = async (name: string, watch: string, expected: (string | RegExp)[]) => {
    await openDevice(page, name)
    await page.getByRole('tab', { name: 'Roster' }).click()
    await page.locator('.watch', { hasText: watch }).getByRole('link', { name: 'why' }).first().click()
    await expect(steps).toContainText(expected)
  }
  await why('bb-plant-app', 'every service that should be running', ['watched by Services', /./, /./])
  await choose(page.getByLabel('What of it'), 'bakery-orders')
  await expect(steps).toContainText([
    'watched by Services',
    'bakery-orders is stopped; needed by bakery-labels, which is critical',
    'for long enough',
    'no window covered it',
    'so there was an alert since',
  ])
  const alert = steps.filter({ hasText: 'so there was an alert since' })
  // And who was told of it, or that nobody was.
  await expect(steps.last()).toContainText(/told anybody|had somebody told/)
  await alert.getByRole('link').click()
  await expect(page.getByRole('heading', { name: /bakery-orders is stopped/ })).toBeVisible()
  await page.getByRole('link', { name: 'Why at any other time' }).click()
  await expect(alert).toHaveCount(1)
  // Before it began, which is 34 minutes before the history ends.
  await page.goto(`${page.url()}&at=${Date.now() - 55 * 60_000}`)
  await expect(steps).toContainText(['watched by', 'it was well: bakery-orders is running', 'so there was no alert'])

  const whyOf = async (name: string, query: string, expected: string[]) => {
    await openDevice(page, name)
    await expect(page.getByRole('tab', { name: 'Roster' })).toBeVisible()
    await page.goto(`${page.url().split(/[?#]/)[0]!}/why?${query}`)
    await expect(steps).toContainText(expected)
  }
  await whyOf('bb-shop-01', 'watch=services.till&instance=till-sync', [
    'watched by',
    'till-sync is stopped',
    'for long enough',
    'held it back since',
    'no alert',
  ])
  await whyOf('tm-east-gate-1', 'watch=disk.space', [
    'watched by',
    'no report of that time is kept any more, or there never was one',
    'no alert',
  ])
  await whyOf('tm-gate-1', 'watch=disk.space', ['watched by', 'it was well', 'no alert'])
  await page.goto(`${page.url().split('?')[0]!}?watch=disk.space&instance=/srv/gone`)
  await expect(steps).toContainText(['watched by', 'knows of no /srv/gone', 'no alert'])
  await page.goto(`${page.url().split('?')[0]!}?watch=nothing.of.that.name`)
  await expect(steps).toContainText(['nothing in its roster watched this', 'no alert'])
})

test('how it was an hour ago is shown in each place, by key and by the marker, and nothing can be changed from there', async ({
  page,
}) => {
  await signIn(page)
  const orders = group(page, 'To do').getByRole('button', { name: /bakery-orders/ })
  await expect(orders).toBeVisible()
  const band = page.getByRole('status', { name: 'Looking back' })
  await page.keyboard.press('p')
  await expect(band).toContainText('Rounds as it was on')
  await expect(group(page, 'To do').getByRole('button', { name: /srv\/images/ })).toBeVisible()
  await expect(orders).toHaveCount(0)
  await expect(page.getByRole('button', { name: /^Take|Mark all as seen|choose several/ })).toHaveCount(0)
  await expect(page).toHaveURL(/asOf=\d{4}-/)

  await page.keyboard.press('2')
  await expect(band).toContainText('Estate as it was on')
  await page.getByRole('link', { name: 'bb-plant-app', exact: true }).click()
  await page.getByRole('link', { name: 'All services' }).click()
  await expect(page.getByRole('row', { name: /bakery-orders/ })).toContainText('running')
  await expect(page.getByRole('button', { name: /^Hold alerts|^Change/ })).toHaveCount(0)
  await page.getByRole('tab', { name: 'Roster' }).click()
  await expect(page.locator('.watch').first()).toBeVisible()
  await expect(page.getByText('Not sent to the agent yet')).toHaveCount(0)
  // Why there was no alert, then: the chain of reasons takes the time along.
  await page
    .locator('.watch', { hasText: 'every service that should be running' })
    .getByRole('link', { name: 'why' })
    .first()
    .click()
  await choose(page.getByLabel('What of it'), 'bakery-orders')
  await expect(page.getByRole('list', { name: 'Steps' }).getByRole('listitem').last()).toContainText('no alert')
  await expect(band).toHaveCount(0)
  await page.goBack()
  await expect(band).toContainText('Estate as it was on')

  await page.keyboard.press('5')
  await expect(band).toContainText('Maintenance as it was on')
  await expect(page.getByRole('heading', { name: /^In force/ })).toBeVisible()
  await expect(page.getByRole('button', { name: /Plan a window/ })).toHaveCount(0)
  await page.keyboard.press('n')
  await expect(band).toHaveCount(0)
  await expect(page.getByRole('button', { name: /^Plan a window a$/ })).toBeVisible()
  await page.keyboard.press('1')
  await expect(orders).toBeVisible()

  // The marker of the watchline, drawn an inch to the left: some hours ago.
  const line = page.getByRole('group', { name: /^Watchline/ })
  const marker = (await line.locator('[data-marker] rect').boundingBox())!
  const [x, y] = [marker.x + marker.width / 2, marker.y + marker.height / 2]
  await page.mouse.move(x, y)
  await page.mouse.down()
  await page.mouse.move(x - 60, y, { steps: 4 })
  await page.mouse.up()
  await expect(band).toContainText('Rounds as it was on')
  await page.getByRole('button', { name: 'Back to now' }).click()
  await expect(orders).toBeVisible()
  // A time that nobody can know is not taken from an address.
  await page.goto(`${url()}/rounds?asOf=2999-01-01T00:00:00Z`)
  await expect(orders).toBeVisible()
  await expect(band).toHaveCount(0)
})

test('what a device depends on is chosen, named at both, and refused in a circle', async ({ page }) => {
  await signIn(page)
  const said = page.locator('dt', { hasText: 'Depends on' }).locator('+ dd')
  const dialog = page.getByRole('dialog')
  const choice = dialog.getByLabel('Depends on', { exact: true })
  const open = async () => {
    await page.getByRole('button', { name: /^Change/ }).click()
    // What is chosen stands there to be read.
    await expect(dialog.getByText('Tidemill Ferries · Harbour West', { exact: true })).toBeVisible()
  }
  const save = () => dialog.getByRole('button', { name: 'Change it' }).click()
  const dependsOn = async (name: string) => {
    await dialog.getByLabel('Device that it depends on').fill(name)
    await page.getByRole('option', { name }).click()
  }
  await openDevice(page, 'tm-gate-2')
  await expect(page.getByRole('heading', { name: 'Machine' })).toBeVisible()
  await expect(said).toHaveCount(0)
  await open()
  await choose(choice, 'a device')
  await save()
  await expect(dialog.getByText('Choose the device, by part of its name.')).toBeVisible()
  await dependsOn('tm-gate-1')
  await save()
  await expect(said).toHaveText(/^tm-gate-1\s+as somebody said$/)

  // Not in a circle: the fault stands at the field, and nothing is lost.
  await said.getByRole('link').click()
  await expect(page.locator('dt', { hasText: 'Behind it' }).locator('+ dd')).toHaveText('tm-gate-2')
  await open()
  await choose(choice, 'a device')
  await dependsOn('tm-gate-2')
  await save()
  await expect(dialog.getByText(/is behind it|is reached through this device/).first()).toBeVisible()
  await page.keyboard.press('Escape')
  await page.locator('dt', { hasText: 'Behind it' }).locator('+ dd').getByRole('link').click()
  await open()
  await choose(choice, 'nothing')
  await save()
  await expect(said).toHaveText(/^nothing,\s+as somebody said$/)
})
