import { expect, test, type Page } from '@playwright/test'
import { signIn, url } from './day'

/** Writes as somebody of a client would, from a mail reader of their own. */
async function write(page: Page, subject: string, text: string, answers = ''): Promise<void> {
  const answer = await page.request.post(`${process.env.E2E_MESSAGES!}/write`, {
    form: { from: 'Odile Marrek <harbour@tidemill.example>', subject, text, answers },
  })
  expect(await answer.text()).toContain('It was taken')
}

test('somebody of a client writes: it is found in Rounds, taken, joined to a device, answered by mail, and closed', async ({
  page,
}) => {
  await signIn(page)
  await write(page, 'The turnstile beeps', 'It beeps twice and stays shut.\n<b>Please hurry</b>')
  const row = page.getByRole('button', { name: /The turnstile beeps/ })
  // It comes in by itself.
  await expect(row).toContainText('Tidemill Ferries')
  await row.click()
  const panel = page.getByRole('complementary', { name: 'Request' })
  // Text is text, whatever is in it.
  await expect(panel.getByText('<b>Please hurry</b>')).toBeVisible()
  await page.keyboard.press('t')
  await expect(panel.getByText(/^asked by mail · taken by/)).toBeVisible()
  await panel.getByRole('button', { name: 'say what it is about' }).click()
  await panel.getByLabel('An alert or a device of the client').fill('tm-gate-1')
  await page.getByRole('option', { name: /tm-gate-1 device/ }).click()
  await expect(panel.getByRole('link', { name: 'tm-gate-1' })).toBeVisible()
  await page.keyboard.press('r')
  await panel.getByLabel('Answer to Odile Marrek').fill('Try it now.')
  await panel.getByText('and close it').click()
  await panel.getByRole('button', { name: 'Send the answer' }).click()
  await expect(panel.getByText(/^asked by mail · closed/)).toBeVisible()

  const reader = await page.context().newPage()
  const mail = reader.locator('details', { hasText: 'Re: The turnstile beeps' })
  await expect
    .poll(
      async () => {
        await reader.goto(process.env.E2E_MESSAGES!)
        return mail.count()
      },
      { intervals: [500] },
    )
    .toBe(1)
  expect(await mail.locator('pre').textContent()).toMatch(/^Try it now\.[^]*> It beeps twice/)
  const id = (await mail.locator('small').textContent())!.trim()
  await reader.close()
  // They answer: the same request is open again.
  await write(page, 'Re: The turnstile beeps', 'It works.', id)
  await expect(panel.getByText('It works.', { exact: true })).toBeVisible()
  await expect(panel.getByText(/^asked by mail · (nobody|answered|they wrote again)/)).toBeVisible()
  await panel.getByRole('link', { name: 'its own page' }).click()
  await expect(page.getByRole('heading', { name: 'The turnstile beeps' })).toBeVisible()
  await page.getByRole('button', { name: 'Close', exact: true }).click()
  await expect(page.getByText(/^asked by mail · closed/)).toBeVisible()
})

test('a client is taken out of use, handed over, and deleted by its name', async ({ page }) => {
  await signIn(page)
  await page.goto(`${url()}/setup?part=clients`)
  await page.getByRole('button', { name: 'Add a client' }).click()
  await page.getByLabel('Name', { exact: true }).fill('Oriel Conservatory')
  await page.getByLabel('Code').fill('oc')
  await page.getByRole('button', { name: 'Add it' }).click()
  await page.getByRole('button', { name: 'Contacts of Oriel Conservatory' }).click()
  await page.getByRole('button', { name: 'Add somebody' }).click()
  await page.getByLabel('Name', { exact: true }).fill('Bo')
  await page.getByLabel('Mail', { exact: true }).fill('bo@oriel.example')
  await page.getByRole('button', { name: 'Add', exact: true }).click()
  await expect(page.getByText('does not sign in')).toBeVisible()
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'End work for Oriel Conservatory…' }).click()
  await page.getByRole('button', { name: 'Take it out of use' }).click()
  const gone = page.getByRole('region', { name: 'Clients out of use' }).or(page.getByLabel('Clients out of use'))
  await expect(gone.first()).toContainText('Oriel Conservatory')
  const coming = page.waitForEvent('download')
  await page.getByRole('link', { name: 'Download the data of Oriel Conservatory' }).click()
  expect((await coming).suggestedFilename()).toBe('custode-oc.jsonl.gz')
  await page.getByRole('button', { name: 'Delete Oriel Conservatory' }).click()
  const dialog = page.getByRole('dialog')
  await expect(dialog.getByRole('button', { name: 'Delete it all' })).toBeDisabled()
  await dialog.getByLabel('Write Oriel Conservatory').fill('Oriel Conservatory')
  await dialog.getByRole('button', { name: 'Delete it all' }).click()
  await expect(page.getByRole('link', { name: 'Download the data of Oriel Conservatory' })).toHaveCount(0)
})
