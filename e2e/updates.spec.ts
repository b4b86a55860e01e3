import { expect, test } from '@playwright/test'
import { choose, openDevice, signIn, url } from './day'

test('who is behind with updates is seen by client; one update leads to the devices on which it waits', async ({
  page,
}) => {
  await signIn(page)
  await page.goto(`${url()}/estate`)
  await page.getByRole('tab', { name: 'Updates' }).click()
  const clients = page.getByRole('table', { name: 'Clients by how far they are behind' })
  // Below the heads of the columns.
  const first = clients.getByRole('row').nth(1)
  // The one whose database has been neglected for 23 days comes first.
  await expect(first).toContainText('Brindle Bakeries')
  await expect(first).toContainText('23 d')
  await expect(clients.getByRole('row', { name: /Saltmarsh Veterinary/ })).toContainText('1 cannot fetch lists')
  await choose(page.getByLabel('View', { exact: true }), 'by update')
  await page.getByLabel('Narrow by words').fill('mariadb')
  const names = page.getByRole('table', { name: 'Updates by name' })
  await expect(names.getByRole('row')).toHaveCount(2)
  await names.getByRole('link', { name: 'mariadb-server' }).click()
  await expect(page.getByRole('row', { name: /bb-plant-db/ })).toContainText('on hold')
  await page.getByRole('link', { name: 'bb-plant-db' }).click()
  await expect(page.getByText('A restart is pending for 5 d')).toBeVisible()
  await page.getByText('32 updates by name').click()
  await expect(page.getByRole('listitem').filter({ hasText: 'mariadb-server' })).toContainText('on hold')
})

test('a service that runs a library that was replaced leads to where it is started anew', async ({ page }) => {
  await signIn(page)
  await openDevice(page, 'sv-imaging-1')
  await expect(page.getByText('Still on files that were replaced since they started')).toBeVisible()
  await page.getByRole('link', { name: 'smbd', exact: true }).click()
  await expect(page.getByRole('row', { name: /^smbd/ })).toBeVisible()
})
