import { expect, test } from '@playwright/test'
import { choose, openDevice, signIn, url } from './day'

test('the log of everyone is narrowed, its repeats counted, and one of them becomes a watch', async ({ page }) => {
  await signIn(page)
  await page.goto(`${url()}/estate`)
  await page.getByRole('tab', { name: 'Log' }).click()
  const entries = page.getByRole('table', { name: 'Log entries, newest first' })
  await expect(entries.getByRole('row').nth(1)).toBeVisible()
  await choose(page.getByLabel('Level', { exact: true }), 'error or worse')
  await page.getByLabel('Words').fill('has * block')
  await expect(page.getByText(/^\d+ entr(y|ies) match(es)?\./)).toBeVisible()
  await expect(entries.getByRole('row').nth(1)).toContainText('has a bad block')
  // By keyboard alone: the entry is a button, its dialog ends with Escape.
  await entries
    .getByRole('button', { name: /bad block/ })
    .first()
    .press('Enter')
  await expect(page.getByRole('dialog')).toContainText('bb-plant-app')
  await page.keyboard.press('Escape')
  await choose(page.getByLabel('View', { exact: true }), 'repeats together, most first')
  const repeats = page.getByRole('table', { name: 'Entries that repeat, most first' })
  await expect(repeats.getByRole('row')).toHaveCount(2)
  await repeats.getByRole('button', { name: 'Watch for it…' }).click()
  const dialog = page.getByRole('dialog', { name: 'Watch for such entries' })
  await expect(dialog).toContainText('In the System log, when an entry from disk with id 7 appears once')
  await expect(dialog).toContainText(/times? in the last 14 days, on 1 device\./)
  await expect(dialog.getByRole('button', { name: /^Watch for it on/ })).toBeDisabled()
  await dialog.getByRole('button', { name: 'Cancel' }).click()
  // Its words are those of the address: it can be sent.
  await page.goto(`${url()}/estate/log?words=nothing+says+so`)
  await expect(page.getByText('No entry matches.')).toBeVisible()
})

test('an entry of a device becomes a watch of that device, with what it changes shown before', async ({ page }) => {
  await signIn(page)
  await openDevice(page, 'bb-plant-app')
  await page.getByRole('tab', { name: 'Log' }).click()
  await page
    .getByRole('button', { name: /has a bad block/ })
    .first()
    .click()
  await page.getByRole('dialog').getByRole('button', { name: 'Watch for it…' }).click()
  const dialog = page.getByRole('dialog', { name: 'Watch for such entries' })
  await dialog.locator('button[data-parameter="severity"]').click()
  await choose(page.locator('form.editor').getByLabel('Severity'), 'critical')
  await page.getByRole('button', { name: 'Use' }).click()
  await expect(dialog).toContainText('raise critical')
  await choose(dialog.getByLabel('Template', { exact: true }), 'a new one for bb-plant-app alone')
  await dialog.getByRole('button', { name: 'Watch for it on 1 device' }).click()
  await expect(dialog).toBeHidden()
  await page.getByRole('tab', { name: 'Roster' }).click()
  await expect(page.getByText('In the System log, when an entry from disk with id 7').last()).toBeVisible()
})
