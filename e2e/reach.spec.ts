import { expect, test } from '@playwright/test'
import { choose, saveBy, signIn, url } from './day'

test.describe.configure({ mode: 'serial' })

test('what others reach stands over all clients, the worst first, and leads to the alert and to the device', async ({
  page,
}) => {
  await signIn(page)
  await page.getByRole('link', { name: 'Estate' }).click()
  await page.getByRole('tab', { name: 'Reachability' }).click()
  const first = page.getByRole('row').nth(1)
  await expect(first).toContainText('bb-orders-page')
  await expect(first).toContainText('valid for 12 d')
  await expect(page.getByRole('row', { name: /bb-plant-switch/ })).toContainText('answers in')
  await page.getByText('only what is not as it should be').click()
  await expect(page.getByRole('row', { name: /bb-plant-switch/ })).toHaveCount(0)
  await first.getByRole('link', { name: /^Alert of certificate/ }).click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Certificate at port 443 is valid for 12 d')
})

test('what has no agent is added where one may look, and looked at within seconds', async ({ page }) => {
  await signIn(page)
  await page.goto(`${url()}/estate/reach`)
  await page.getByRole('button', { name: 'Add what has no agent' }).click()
  const dialog = page.getByRole('dialog')
  await choose(dialog.getByLabel('Site'), 'Brindle Bakeries · Plant')
  await dialog.getByLabel('Name').fill('bb-till-host')
  await dialog.getByLabel('Address', { exact: true }).fill('198.51.100.77')
  await dialog.getByRole('button', { name: 'Add it' }).click()
  await expect(dialog).toContainText('198.51.100.77 is neither in the networks of Plant')
  await dialog.getByLabel('Address', { exact: true }).fill('203.0.113.20')
  await dialog.getByRole('button', { name: 'Add it' }).click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText('bb-till-host')
  await expect(page.getByRole('tab')).toHaveText(['Reachability', 'Roster', /^Alerts/, 'Maintenance', 'Changes'])
  // Its kind has a template already.
  await expect(page.getByRole('row', { name: /https page/ })).toBeVisible()
  await page.getByRole('button', { name: 'Look at it' }).click()
  await choose(page.getByLabel('What is looked at'), 'Port open')
  await choose(page.getByLabel('Template', { exact: true }), 'a new one for bb-till-host alone')
  await saveBy(page.getByRole('button', { name: 'Look at it on 1 device' }))
  await expect(page.getByRole('row', { name: /^port 443/ })).toContainText('answers in', { timeout: 60_000 })
  await page
    .getByRole('row', { name: /^port 443/ })
    .getByRole('link')
    .first()
    .click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText('bb-plant-')
})

test('a lead names an address beyond the networks of a site', async ({ page }) => {
  await signIn(page)
  await page.goto(`${url()}/setup?part=clients`)
  await page.getByLabel(/narrow/i).fill('Mill Lane')
  await page
    .getByRole('row', { name: /Mill Lane/ })
    .getByRole('button', { name: /Change/ })
    .click()
  const dialog = page.getByRole('dialog')
  const named = dialog.getByLabel('Other addresses that may be looked at')
  await named.fill('not an address')
  await dialog.getByRole('button', { name: 'Change it' }).click()
  await expect(dialog).toContainText('is neither an address')
  await named.fill('*.mill.example')
  await dialog.getByRole('button', { name: 'Change it' }).click()
  await expect(dialog).toHaveCount(0)
})
