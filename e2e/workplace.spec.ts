import { readFileSync } from 'node:fs'
import { expect, test } from '@playwright/test'
import { parse } from 'csv-parse/sync'
import { generateSync } from 'otplib'
import { demoLead } from '../launcher/demo.mjs'
import { choose, openDevice, signIn, url } from './day'

// A lead sets the house up: clients, people, and what was done.

test('a client and its first site are added, called otherwise, and stand in the trail and in its table', async ({
  page,
}) => {
  await signIn(page)
  await page.keyboard.press('6')
  await expect(page.getByRole('heading', { name: 'Setup' })).toBeVisible()
  await page.getByRole('tab', { name: 'Clients and sites' }).click()
  await page.getByRole('button', { name: 'Add a client' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('Name').fill('Quillon Hospital')
  await dialog.getByLabel('Code').fill('Q H')
  await dialog.getByRole('button', { name: 'Add it' }).click()
  // The fault stands at its field, and nothing is lost.
  await expect(dialog.getByText('small letters and digits').first()).toBeVisible()
  await expect(dialog.getByLabel('Name')).toHaveValue('Quillon Hospital')
  await dialog.getByLabel('Code').fill('qh')
  await dialog.getByRole('button', { name: 'Add it' }).click()
  await page.getByRole('button', { name: 'Add a site to Quillon Hospital' }).click()
  await dialog.getByLabel('Name').fill('North Wing')
  await choose(dialog.getByLabel('Zone'), 'Europe/Dublin')
  await dialog.getByLabel('Networks').fill('203.0.113.0/24')
  await dialog.getByRole('button', { name: 'Add it' }).click()
  await expect(page.getByRole('row', { name: /North Wing/ })).toContainText('203.0.113.0/24')
  await page.getByRole('button', { name: 'Change North Wing of Quillon Hospital' }).click()
  await dialog.getByLabel('Notes').fill('The key is at the lodge.')
  await dialog.getByRole('button', { name: 'Change it' }).click()
  await page.getByRole('button', { name: 'Change North Wing of Quillon Hospital' }).click()
  await expect(dialog.getByLabel('Notes')).toHaveValue('The key is at the lodge.')
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Change Harbour West of Tidemill Ferries' }).click()
  await dialog.getByLabel('Notes').fill('Ask for the harbour master.')
  await dialog.getByRole('button', { name: 'Change it' }).click()
  await expect(dialog).toHaveCount(0)

  await page.getByRole('tab', { name: 'Audit trail' }).click()
  const lines = page.getByRole('table', { name: 'Audit trail' }).or(page.getByLabel('Audit trail'))
  await choose(page.getByLabel('Kind of thing'), 'a site')
  await expect(lines.getByRole('row', { name: /changed\s+site\s+North Wing/ })).toContainText(
    'The key is at the lodge.',
  )
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'As CSV' }).click()])
  const records = parse(readFileSync((await file.path())!, 'utf8'), { columns: true }) as unknown as Record<
    string,
    string
  >[]
  expect(records.slice(0, 2).map(({ action, name, client }) => [action, name, client])).toEqual([
    ['changed', 'Harbour West', 'Tidemill Ferries'],
    ['changed', 'North Wing', 'Quillon Hospital'],
  ])
  await openDevice(page, 'tm-gate-1')
  await expect(page.getByRole('region', { name: 'About the place' })).toContainText('Ask for the harbour master.')
  await page.getByRole('tab', { name: 'Changes' }).click()
  await expect(page.getByLabel('What was done to it').getByRole('row', { name: /the server\s+enrolled/ })).toBeVisible()
})

test('somebody is added, signs in, takes an alert, and is deactivated while they look', async ({ page, browser }) => {
  await signIn(page)
  await page.goto(`${url()}/setup?part=people`)
  await page.getByRole('button', { name: 'Add a person' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('Name').fill('Hamo Threlkeld')
  await dialog.getByLabel('E-mail').fill('hamo@lanternfield.example')
  await dialog.getByLabel('Password').fill('short')
  await dialog.getByRole('button', { name: 'Add', exact: true }).click()
  await expect(dialog.getByText(/at least 10 characters/).first()).toBeVisible()
  await dialog.getByLabel('Password').fill('a ladder to the loft')
  await dialog.getByRole('button', { name: 'Add', exact: true }).click()
  await expect(page.getByRole('row', { name: /Hamo Threlkeld/ })).toContainText('may sign in')

  const theirs = await (await browser.newContext()).newPage()
  await theirs.goto(url())
  await theirs.getByLabel('E-mail address').fill('hamo@lanternfield.example')
  await theirs.getByLabel('Password').fill('a ladder to the loft')
  await theirs.getByRole('button', { name: 'Sign in' }).click()
  await expect(theirs.getByRole('heading', { name: 'Rounds' })).toBeVisible()
  await expect(theirs.getByRole('link', { name: 'Setup' })).toHaveCount(0)
  await theirs.getByRole('button', { name: /srv\/images/ }).click()
  await theirs.getByRole('button', { name: /^Take/ }).click()
  await expect(theirs.getByRole('button', { name: /^Give back/ })).toBeVisible()

  await expect(theirs.getByRole('link', { name: 'Sign in again' })).toHaveCount(0)
  await page.getByRole('button', { name: 'Deactivate Hamo Threlkeld' }).click()
  await expect(page.getByText(/1 alert or request in their hands stays there/)).toBeVisible()
  await page.getByRole('button', { name: 'Deactivate', exact: true }).click()
  await expect(page.getByRole('row', { name: /Hamo Threlkeld/ })).toContainText('deactivated')
  await page.getByRole('link', { name: 'see what to hand over' }).click()
  await expect(page.getByRole('button', { name: /srv\/images/ })).toBeVisible()
  await expect(theirs.getByRole('link', { name: 'Sign in again' })).toBeVisible()
  // Told without a touch, and let in no more.
  await theirs.getByRole('link', { name: 'Sign in again' }).click()
  await theirs.getByLabel('E-mail address').fill('hamo@lanternfield.example')
  await theirs.getByLabel('Password').fill('a ladder to the loft')
  await theirs.getByRole('button', { name: 'Sign in' }).click()
  await expect(theirs.getByRole('alert')).toBeVisible()
  await expect(theirs.getByRole('heading', { name: 'Rounds' })).toHaveCount(0)
  await theirs.context().close()
})

test('one’s own page: where one is signed in, ended there, and the password', async ({ page, browser }) => {
  const other = await (await browser.newContext()).newPage()
  await signIn(other)
  await signIn(page)
  await page.getByRole('button', { name: /^MV/ }).click()
  await page.getByRole('menuitem', { name: 'Your page' }).click()
  const sessions = page.getByLabel('Where you are signed in')
  await expect(other.getByRole('link', { name: 'Sign in again' })).toHaveCount(0)
  await expect(sessions.getByRole('row', { name: /this one/ })).toContainText('Chrom')
  await page.getByRole('button', { name: /^End the \d+ others/ }).click()
  await expect(sessions.getByRole('row', { name: /Chrom/ })).toHaveCount(1)
  await expect(other.getByRole('link', { name: 'Sign in again' })).toBeVisible()
  await other.context().close()

  await page.getByLabel('As it is now').fill('not this one')
  await page.getByLabel('From now on').fill('something else entirely')
  await page.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByText('This is not your password as it is now.')).toBeVisible()
})

test('a second factor is set up, asked for at the next sign-in, and a recovery code stands in for it', async ({
  page,
}) => {
  const email = 'ines@lanternfield.example'
  await signIn(page, email)
  await page.goto(`${url()}/me`)
  const password = page.getByLabel('Your password')
  await password.fill('not this one')
  await page.getByRole('button', { name: 'Set one up' }).click()
  await expect(page.getByText('This is not your password.')).toBeVisible()
  await password.fill(demoLead.password)
  await page.getByRole('button', { name: 'Set one up' }).click()
  await expect(page.getByRole('img', { name: /picture to scan/ })).toBeVisible()
  const secret = (await page.getByText(/^[A-Z2-7]{32}$/).textContent())!
  const code = page.getByLabel('Code', { exact: true })
  await code.fill('000000')
  await page.getByRole('button', { name: 'Use it from now on' }).click()
  await expect(page.getByText(/This is not the code of now/)).toBeVisible()
  await code.fill(generateSync({ secret }))
  await page.getByRole('button', { name: 'Use it from now on' }).click()
  const codes = (await page.getByText(/^([A-Z2-7]{4}-){3}/).textContent())!.trim().split(/\s+/)
  expect(codes).toHaveLength(10)
  await page.getByRole('button', { name: 'I have them' }).click()
  await expect(page.getByText(/10 recovery codes left/)).toBeVisible()

  await page.getByRole('button', { name: /^IV/ }).click()
  await page.getByRole('menuitem', { name: 'Sign out' }).click()
  await page.getByLabel('E-mail address').fill(email)
  await page.getByLabel('Password').fill(demoLead.password)
  await page.getByRole('button', { name: 'Sign in' }).click()
  const asked = page.getByLabel(/^Code of your second factor/)
  await asked.fill('123456')
  await page.getByRole('button', { name: 'Sign in' }).click()
  await expect(page.getByRole('alert')).toContainText('not the code of now')
  await asked.fill(codes[0]!)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await expect(page.getByRole('heading', { name: 'Rounds' })).toBeVisible()

  // Taken away again: others sign in as her with the password alone.
  await page.goto(`${url()}/me`)
  await expect(page.getByText(/9 recovery codes left/)).toBeVisible()
  await page.getByRole('button', { name: 'take it away' }).click()
  await password.fill(demoLead.password)
  await code.fill(codes[1]!)
  await page.getByRole('button', { name: 'Take it away' }).click()
  await expect(page.getByRole('button', { name: 'Set one up' })).toBeVisible()
})
