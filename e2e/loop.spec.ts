import { expect, test } from '@playwright/test'
import type { WindowList } from '#contract'
import { choose, group, make, openDevice, saveBy, setValue, signIn, url } from './day'

/** As the date field takes it. */
const format = (at: Date) =>
  `${at.getFullYear()}-${String(at.getMonth() + 1).padStart(2, '0')}-${String(at.getDate()).padStart(2, '0')} ${at.toTimeString().slice(0, 5)}`

test.describe.configure({ mode: 'serial' })

test('Rounds shows what is wrong; the device shows what it is and where its roster comes from', async ({ page }) => {
  await signIn(page)
  const row = group(page, 'To do').getByRole('button', { name: /bakery-orders/ })
  await expect(row).toContainText('bb-plant-app')
  await row.click()
  await page.keyboard.press('Enter')
  await page.getByRole('link', { name: 'bb-plant-app' }).first().click()
  await expect(page.getByText('D:', { exact: true })).toBeVisible()
  await expect(page.getByText(/0 security, 0 other/)).toBeVisible()
  await page.getByRole('link', { name: 'All services' }).click()
  await expect(page.getByRole('row', { name: /^bakery-orders/ })).toContainText('is stopped')
  await page.getByRole('tab', { name: 'Log' }).click()
  await expect(page.getByText(/has a bad block/).first()).toBeVisible()
  await page.getByRole('tab', { name: 'Readings' }).click()
  await expect(page.getByRole('heading', { name: 'CPU', exact: true })).toBeVisible()
  await expect(page.locator('canvas').first()).toBeVisible()
  await page.getByRole('tab', { name: 'Roster' }).click()
  const disks = page.locator('.watch', { hasText: 'Free disk space' })
  await expect(disks.locator('[data-parameter="warning.percent"]')).toHaveAttribute(
    'title',
    /from Base server, revision 1, for every server/,
  )
})

test('a place whose program, or whose first answer, does not come at once opens a moment later by itself', async ({
  page,
}) => {
  let dropped = 0
  const drop = async (what: string, times: number) => {
    let left = times
    await page.route(what, (request) => {
      if (left-- <= 0) return request.continue()
      dropped++
      return request.abort('connectionreset')
    })
  }
  // Twice, because what is only read is asked for once more at once.
  await drop('**/api/session', 2)
  await page.goto(url())
  await expect(page.getByRole('status')).toContainText('could not be opened')
  await signIn(page)
  await drop('**/assets/EstatePlace*.js', 1)
  await page.getByRole('link', { name: 'Estate' }).click()
  await expect(page.getByRole('link', { name: 'bb-plant-app' })).toBeVisible()
  expect(dropped).toBe(3)
})

test('a lead edits a template in its sentences, sees whom it touches, and the rosters follow', async ({ page }) => {
  await signIn(page)
  await page.getByRole('link', { name: 'Policy' }).click()
  await page.getByRole('link', { name: 'Base server', exact: true }).first().click()
  const services = page.locator('.watch', { hasText: 'every service that should be running' })
  await services.locator('[data-parameter="hold"]').click()
  await page.locator('.editor input').fill('3')
  await expect(page.getByText(/Write it like 90 s/)).toBeVisible()
  await page.keyboard.press('Escape')
  await setValue(page, services, 'hold', '3 s')
  await setValue(page, services, 'clear.hold', '3 s')
  const disks = page.locator('.watch', { hasText: 'free space' })
  await setValue(page, disks, 'warning.percent', '8 %')
  await expect(page.locator('.impact')).toContainText(/1[0-9] devices/)
  await saveBy(page.getByRole('button', { name: /Save for 1\d devices/ }))
  await expect(page.getByText('Saved as revision 2')).toBeVisible()
  await openDevice(page, 'bb-plant-app')
  await page.getByRole('tab', { name: 'Roster' }).click()
  await expect(
    page.locator('.watch', { hasText: 'Free disk space' }).locator('[data-parameter="warning.percent"]'),
  ).toHaveText('8 %')
  await expect(
    page.locator('.watch', { hasText: 'Free disk space' }).locator('[data-parameter="warning.percent"]'),
  ).toHaveAttribute('title', /revision 2/)
})

test('a template is assigned to a role with one value changed, and a device gets an exception', async ({ page }) => {
  await signIn(page)
  await page.getByRole('link', { name: 'Policy' }).click()
  await page.getByRole('button', { name: 'Assign a template' }).click()
  const dialog = page.getByRole('dialog', { name: 'Assign a template' })
  await choose(dialog.getByLabel('Template'), 'Backup host')
  await choose(dialog.getByLabel('Role'), 'file server')
  await choose(dialog.getByLabel('Watch'), 'Nightly backup')
  await choose(dialog.getByLabel('Parameter'), 'Period')
  await dialog.locator('.editor input').fill('50 h')
  await dialog.getByRole('button', { name: 'Use', exact: true }).click()
  await expect(dialog.locator('.impact')).toContainText('1 device')
  await saveBy(dialog.getByRole('button', { name: 'Assign to 1 device' }))
  await openDevice(page, 'sv-imaging-1')
  await page.getByRole('tab', { name: 'Roster' }).click()
  await expect(page.locator('.watch', { hasText: 'Nightly backup' }).locator('[data-parameter="period"]')).toHaveText(
    '50 h',
  )

  await page.locator('.watch', { hasText: 'Memory' }).locator('[data-parameter="warning"]').click()
  await page.getByRole('button', { name: 'Give this device its own value' }).click()
  await page.locator('.editor input').fill('5 %')
  await page.getByRole('button', { name: 'Use', exact: true }).click()
  await page.getByLabel('Reason').fill('The image cache takes what there is')
  await saveBy(page.getByRole('button', { name: 'Make the exception' }))
  const own = page.locator('.watch', { hasText: 'Memory' }).locator('[data-parameter="warning"]')
  await expect(own).toHaveText('5 %')
  await own.click()
  await expect(page.getByRole('dialog', { name: 'Where this value comes from' })).toContainText(
    'an exception for this device: The image cache takes what there is',
  )
})

test('a stopped service becomes an alert without reloading, is taken, and closes by itself', async ({ page }) => {
  await signIn(page)
  await make(page, 'tm-tickets-1', 'stop cron')
  const row = group(page, 'To do').getByRole('button', { name: /cron.*tm-tickets-1/ })
  await expect(row).toBeVisible()
  await row.click()
  await expect(page.getByRole('heading', { name: /cron is stopped/ })).toBeVisible()
  await expect(page.getByText(/no window covered it/)).toBeVisible()
  await page.keyboard.press('t')
  await expect(group(page, 'Being worked on').getByRole('button', { name: /cron.*taken by Mara Velde/ })).toBeVisible()
  // From where one stands: its agent is asked, and what it did stands in the alert.
  await page.getByRole('button', { name: 'Start cron', exact: true }).click()
  await expect(page.getByText('started cron by Mara Velde: was stopped, is running')).toBeVisible()
  await expect(group(page, /Over since/).getByRole('button', { name: /cron/ })).toBeVisible()
})

test('a window holds failures back; ended early, what still fails is raised and the rest is only in its record', async ({
  page,
}) => {
  await signIn(page)
  await openDevice(page, 'tm-tickets-2')
  await page.getByRole('button', { name: 'Hold alerts' }).click()
  await page.getByLabel('Why').fill('New memory')
  await page.getByRole('button', { name: 'Hold alerts back' }).click()
  await expect(page.getByText(/holds alerts of this device back until/)).toBeVisible()
  await make(page, 'tm-tickets-2', 'stop cron')
  await make(page, 'tm-tickets-2', 'stop ssh')
  await expect(page.getByText('2 held now')).toBeVisible()
  await page.getByRole('link', { name: 'Rounds' }).click()
  const held = group(page, 'Held by maintenance')
  await expect(held.getByRole('button', { name: /ssh.*tm-tickets-2/ })).toBeVisible()
  await expect(group(page, 'To do').getByRole('button', { name: /tm-tickets-2/ })).toHaveCount(0)
  await make(page, 'tm-tickets-2', 'start cron')
  await expect(held.getByRole('button', { name: /cron.*tm-tickets-2/ })).toHaveCount(0)
  await page.getByRole('link', { name: 'Maintenance' }).click()
  const window = page.getByRole('row', { name: /Maintenance of tm-tickets-2/ })
  await window.getByRole('button', { name: 'End now' }).click()
  await page.getByRole('link', { name: 'Maintenance of tm-tickets-2' }).click()
  await expect(page.getByRole('row', { name: /ssh/ })).toContainText('still failed at the end: raised')
  await expect(page.getByRole('row', { name: /cron/ })).toContainText('was well again before the end')
  await page.getByRole('link', { name: 'still failed at the end: raised' }).click()
  await expect(page.getByText(/it was held by/)).toBeVisible()
  await expect(group(page, 'To do').getByRole('button', { name: /ssh.*tm-tickets-2/ })).toBeVisible()
})

test('a window is planned for later, holds nothing until then, and is called off', async ({ page }) => {
  await signIn(page)
  await page.getByRole('link', { name: 'Maintenance', exact: true }).click()
  await expect(page.getByRole('heading', { name: 'Maintenance', level: 1 })).toBeVisible()
  await page.keyboard.press('a')
  const dialog = page.getByRole('dialog', { name: 'Hold alerts back' })
  await choose(dialog.getByLabel('Client'), 'Brindle Bakeries')
  await choose(dialog.getByLabel('Where'), 'Mill Lane')
  await choose(dialog.getByLabel('What'), 'whole families')
  await expect(dialog.getByRole('checkbox', { name: 'services' })).toBeChecked()
  await choose(dialog.getByLabel('Zone'), 'UTC')
  await choose(dialog.getByLabel('From'), 'a start')
  const start = new Date(Date.now() + 3 * 86_400_000)
  start.setHours(21, 30, 0, 0)
  await dialog.locator('.el-date-editor input').fill(format(start))
  await page.keyboard.press('Enter')
  await choose(dialog.getByLabel('For', { exact: true }), '4 h')
  await dialog.getByLabel('Name').fill('Till drawers, new locks')
  await dialog.getByLabel('Why').fill('The locksmith comes after closing')
  await dialog.getByRole('button', { name: 'Hold alerts back' }).click()
  await expect(page.getByText('The window is planned.')).toBeVisible()
  const row = page.getByRole('row', { name: /Till drawers/ })
  await expect(row).toContainText('services of every device at Brindle Bakeries · Mill Lane')
  await expect(row).toContainText('21:30')
  await expect(row).toContainText('01:30')
  const [planned] = ((await (await page.request.get(`${url()}/api/windows`)).json()) as WindowList).windows.filter(
    (window) => window.name === 'Till drawers, new locks',
  )
  expect([planned!.from, planned!.until]).toEqual([start.getTime(), start.getTime() + 4 * 3_600_000])
  await row.getByRole('button', { name: 'Cancel it' }).click()
  await expect(page.getByText('Cancelled.')).toBeVisible()
  await expect(row.getByRole('button')).toHaveCount(0)
})

test('a contact sees their own client and can change nothing', async ({ page }) => {
  await signIn(page, 'harbour@tidemill.example')
  await expect(page.getByRole('link', { name: 'Policy' })).toHaveCount(0)
  await page.getByRole('link', { name: 'Estate' }).click()
  await expect(page.getByRole('link', { name: 'tm-tickets-1' })).toBeVisible()
  await expect(page.getByText(/Saltmarsh|Brindle/)).toHaveCount(0)
  await page.getByRole('link', { name: 'tm-tickets-1' }).click()
  await expect(page.getByRole('button', { name: 'Hold alerts' })).toHaveCount(0)
})

test('everything is within reach of the keyboard', async ({ page }) => {
  await signIn(page)
  await page.keyboard.press('?')
  await expect(page.getByRole('dialog', { name: 'Keys' })).toContainText('all of this is seen')
  await page.keyboard.press('Escape')
  await expect(page.getByRole('dialog', { name: 'Keys' })).toBeHidden()
  const second = group(page, 'To do').getByRole('button').nth(1)
  await page.keyboard.press('j')
  await expect(second).toHaveAttribute('aria-current', 'true')
  await page.keyboard.press('/')
  await page.keyboard.type('imaging-1')
  await expect(page.getByRole('listbox').getByRole('option').first()).toContainText('sv-imaging-1')
  await page.keyboard.press('Enter')
  await expect(page).toHaveURL(/\/estate\/\d+/)
  await page.keyboard.press('R')
  await expect(page.getByRole('tab', { name: 'Readings' })).toHaveAttribute('aria-selected', 'true')
  await expect(page.getByLabel('Find', { exact: true })).toHaveValue('')
})

test('places, their parts and the watchline are reached by keys, and a view stands in the address', async ({
  page,
}) => {
  await signIn(page)
  await page.keyboard.press('3')
  await expect(page.getByRole('heading', { name: 'Rollout' })).toBeVisible()
  await page.keyboard.press(']')
  await expect(page.getByRole('tab', { name: 'Sweep' })).toHaveAttribute('aria-selected', 'true')
  await page.keyboard.press('[')
  await expect(page.getByRole('tab', { name: 'By hand' })).toHaveAttribute('aria-selected', 'true')
  await page.keyboard.press('1')
  await page.keyboard.press('w')
  const time = page.getByRole('slider', { name: 'Time on the watchline' })
  await expect(time).toBeFocused()
  for (let i = 0; i < 4; i++) await page.keyboard.press('Shift+ArrowLeft')
  await expect(time).toHaveAttribute('aria-valuetext', /^from .* until /)
  await page.keyboard.press('Escape')
  await expect(time).toHaveAttribute('aria-valuetext', 'now')
  await page.goto(`${url()}/policy?part=templates&sort=-devices`)
  const first = page.getByRole('table', { name: 'Templates' }).getByRole('row').nth(1)
  const fewest = await first.textContent()
  await page.getByRole('button', { name: /^Devices/ }).click()
  await expect(page).toHaveURL(/sort=devices/)
  await expect(first).not.toHaveText(fewest!)
})

test('a device is held and a value of its policy looked up without a mouse', async ({ page }) => {
  await signIn(page)
  const tabTo = async (name: string | RegExp) => {
    for (let i = 0; i < 60; i++) {
      await page.keyboard.press('Tab')
      const label = await page
        .locator(':focus')
        .evaluate(
          (at: { ariaLabel?: string | null; labels?: { textContent: string | null }[]; textContent: string | null }) =>
            at.ariaLabel ?? at.labels?.[0]?.textContent ?? at.textContent ?? '',
        )
      if (typeof name === 'string' ? label.trim() === name : name.test(label)) return
    }
    throw new Error(`no way to ${name} with Tab`)
  }
  await page.keyboard.press('/')
  await page.keyboard.type('sv-north-dc')
  await expect(page.getByRole('listbox').getByRole('option').first()).toContainText('sv-north-dc')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('heading', { name: 'sv-north-dc' })).toBeVisible()
  await page.keyboard.press('h')
  await expect(page.getByRole('dialog', { name: 'Hold alerts back' })).toBeVisible()
  await tabTo('Name')
  await page.keyboard.type('Domain functions move')
  await page.keyboard.press('Enter')
  await expect(page.getByText('Alerts are held back from now on.')).toBeVisible()
  await page.keyboard.press('O')
  await tabTo(/^95 %$/)
  await page.keyboard.press('Enter')
  await expect(page.getByRole('dialog', { name: 'Where this value comes from' })).toContainText(
    'from the default of the watch',
  )
  await page.keyboard.press('Escape')
  await expect(page.getByRole('dialog', { name: 'Where this value comes from' })).toBeHidden()
})
