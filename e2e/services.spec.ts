import { expect, test } from '@playwright/test'
import { choose, openDevice, saveBy, signIn, url } from './day'

test.describe.configure({ mode: 'serial' })

test('a service is restarted from the list of a device; who asked and how it went stands in its row', async ({
  page,
}) => {
  await signIn(page)
  await openDevice(page, 'tm-gate-1')
  await page.keyboard.press('S')
  const row = page.getByRole('row', { name: /^nginx/ })
  await expect(row).toContainText('should run')
  await row.getByRole('button', { name: 'Actions' }).click()
  await page.getByRole('menuitem', { name: 'Restart' }).click()
  const question = page.getByRole('dialog')
  await expect(question).toContainText('Restart nginx on tm-gate-1?')
  await question.getByRole('button', { name: 'Restart' }).click()
  await expect(row).toContainText('Mara Velde asked to restart it')
  await expect(row).toContainText('still running')
})

test('one that nobody needs to hear of is left out by a pattern, tried on what the device has, and taken back', async ({
  page,
}) => {
  await signIn(page)
  await openDevice(page, 'tm-tickets-2')
  await page.getByRole('tab', { name: 'Services' }).click()
  const row = page.getByRole('row', { name: /^chrony/ })
  await row.getByRole('button', { name: 'Actions' }).click()
  await page.getByRole('menuitem', { name: 'Leave it out…' }).click()
  const dialog = page.getByRole('dialog')
  const pattern = dialog.getByLabel(/^Name, with/)
  await pattern.fill('*sql*')
  await expect(dialog.getByRole('status')).toContainText('This hides postgresql, which the role database needs.')
  await pattern.fill('chron*')
  await expect(dialog.getByText('This hides')).toHaveCount(0)
  await dialog.getByLabel('Why').fill('time is kept by its host')
  await saveBy(dialog.getByRole('button', { name: 'Leave them out on 1 device' }))
  await expect(row).toContainText('left out')
  await page.getByRole('tab', { name: 'Roster' }).click()
  await page.locator('.watch', { hasText: 'every service that should be running' }).getByText('chron*').click()
  // What others leave out counts on, beside it.
  const chain = page.getByRole('dialog', { name: 'Where this value comes from' })
  await expect(chain.locator('li:not(.beaten)')).toHaveCount(2)
  await page.keyboard.press('Escape')
  await page.getByRole('tab', { name: 'Services' }).click()
  await row.getByRole('button', { name: 'Actions' }).click()
  await page.getByRole('menuitem', { name: 'Watch it again on this device…' }).click()
  await saveBy(page.getByRole('button', { name: 'Watch it again on 1 device' }))
  await expect(row).toContainText('should run')
})

test('one service stands side by side on all devices of a client', async ({ page }) => {
  await signIn(page)
  await page.goto(`${url()}/estate/services`)
  await page.getByLabel('Narrow by words').fill('nginx')
  await page.getByRole('link', { name: 'nginx' }).click()
  await expect(page.getByRole('row', { name: /bb-plant-web/ })).toContainText('running')
  await choose(page.getByLabel('Client in view'), 'Tidemill Ferries 9 devices')
  await expect(page.getByRole('row', { name: /bb-plant-web/ })).toHaveCount(0)
  await page.getByRole('link', { name: 'tm-gate-1', exact: true }).click()
  await expect(page.getByRole('row', { name: /^nginx/ })).toBeVisible()
})

test('a process is picked from what runs, watched on that device alone, and counted from the next report on', async ({
  page,
}) => {
  await signIn(page)
  await openDevice(page, 'tm-gate-2')
  await page.getByRole('tab', { name: 'Processes' }).click()
  await page.getByLabel('Narrow by words').fill('nginx')
  await page.getByRole('button', { name: /^Watch….*nginx$/ }).click()
  const dialog = page.getByRole('dialog')
  await expect(dialog).toContainText('When nginx does not run in 3 checks in a row, raise critical')
  await dialog.getByRole('button', { name: 'how much memory it may use' }).click()
  await expect(dialog).toContainText('when one of them uses more than 2 GB of memory, raise warning')
  await choose(dialog.getByLabel('Template'), 'a new one for tm-gate-2 alone')
  await saveBy(dialog.getByRole('button', { name: 'Watch it on 1 device' }))
  const watched = page.getByRole('table', { name: 'Processes that are watched' }).getByRole('row', { name: /^nginx/ })
  await expect(watched).toContainText(/nginx\s*\d+\s*[\d.]+ %\s*[\d.]+ [MG]B/, { timeout: 120_000 })
  await watched.getByRole('link').first().click()
  await expect(page.getByRole('heading', { name: /Processes nginx/ })).toBeVisible()
})
