import { expect, test } from '@playwright/test'
import { openDevice, saveBy, signIn } from './day'

test('lines of counters are tried on what a page gives before they are saved; a device shows what its programs count', async ({
  page,
}) => {
  await signIn(page)
  await page.getByRole('link', { name: 'Policy' }).click()
  await page.getByRole('link', { name: 'Web traffic', exact: true }).first().click()
  const nginx = page.locator('.watch', { hasText: 'Counters of nginx' })
  await nginx.locator('[data-parameter="counters"]').click()
  const lines = page.locator('.editor textarea').first()
  await lines.fill('kept = after Keepalive')
  await expect(page.getByRole('alert')).toContainText('says no place')
  await expect(page.getByRole('button', { name: 'Use' })).toBeDisabled()
  await lines.fill('reading = after "Reading:"\nkept = after "Keepalive:"')
  await page
    .getByLabel('What the program gives')
    .fill('Active connections: 291\nserver accepts handled requests\n 7 7 31\nReading: 6 Writing: 179 Waiting: 106')
  const found = page.getByRole('table', { name: 'What is found' })
  await expect(found.getByRole('row', { name: /^reading/ })).toContainText('6')
  await expect(found.getByRole('row', { name: /^kept/ })).toContainText('is not there')
  await lines.fill('reading = after "Reading:"')
  await page.getByRole('button', { name: 'Use' }).click()
  await expect(nginx).toContainText('read 5 counters')
  await saveBy(page.getByRole('button', { name: /Save for \d devices/ }))
  await expect(page.getByText('Saved as revision 2')).toBeVisible()

  await openDevice(page, 'tm-gate-1')
  await expect(page.getByRole('heading', { name: 'Counters' })).toBeVisible()
  // Of Apache, which is not installed there, nothing is said.
  await expect(page.getByText('apache')).toHaveCount(0)
  await expect(page.getByText(/ a second$/)).toBeVisible()
  await page.getByRole('link', { name: 'requests', exact: true }).click()
  await expect(page.getByRole('img', { name: /nginx: requests/ }).first()).toBeVisible()
})
