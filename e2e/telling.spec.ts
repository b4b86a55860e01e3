import { expect, test, type Browser, type Page } from '@playwright/test'
import { createHmac } from 'node:crypto'
import type { BoardPage, DeviceWindows, PersonListed } from '#contract'
import { isOpen } from '#core'
import { choose, make, signIn, url } from './day'
import { demoLead } from '../launcher/demo.mjs'

test.describe.configure({ mode: 'serial' })

/** The text of the newest mail to somebody that has these words in its subject, once it is there. */
async function mailTo(page: Page, address: string, words: RegExp): Promise<string> {
  const reader = await page.context().newPage()
  const mail = reader
    .locator('details')
    .filter({ has: reader.locator('summary', { hasText: address }) })
    .filter({ hasText: words })
  await expect
    .poll(
      async () => {
        await reader.goto(process.env.E2E_MESSAGES!)
        return mail.count()
      },
      { timeout: 150_000, intervals: [1000] },
    )
    .toBeGreaterThan(0)
  const text = await mail.first().locator('pre').textContent()
  await reader.close()
  return text ?? ''
}

/** A telephone of one’s own. */
async function telephone(browser: Browser): Promise<Page> {
  const context = await browser.newContext({ viewport: { width: 390, height: 844 }, hasTouch: true })
  return context.newPage()
}

async function signInThere(page: Page, email: string, password = demoLead.password): Promise<void> {
  await page.getByLabel('E-mail address').fill(email)
  await page.getByLabel('Password').fill(password)
  await page.getByRole('button', { name: 'Sign in', exact: true }).click()
}

test('a night: who is on call is told, nobody takes it, the lead is, and takes it on a telephone by the link of the mail', async ({
  page,
  browser,
}) => {
  await signIn(page)
  await page.getByRole('link', { name: 'Setup' }).click()
  await page.getByRole('tab', { name: 'Call-outs' }).click()
  await page.getByRole('button', { name: 'Add a rule' }).click()
  const form = page.getByRole('form', { name: 'A new rule' })
  await form.getByLabel('Name of the rule').fill('Shop servers at night')
  await expect(form.getByRole('region', { name: 'In the last 14 days' })).toContainText('told')
  await choose(form.getByLabel('Again'), 'never')
  await choose(form.getByLabel('Not taken after'), '5 min')
  await form.getByRole('button', { name: 'Add the rule' }).click()
  await expect(page.getByRole('article', { name: 'Shop servers at night' })).toContainText(
    'For critical alerts on every server, tell the leads at once; not taken after 5 min, tell the leads',
  )
  // Nobody waits five minutes here, nor half a minute for what is gathered.
  const people = (await (await page.request.get(`${url()}/api/people`)).json()) as PersonListed[]
  const ines = people.find(({ name }) => name.startsWith('Ines'))!
  const [rule] = (
    (await (await page.request.get(`${url()}/api/callouts`)).json()) as { id: number; name: string; rule: object }[]
  ).filter(({ name }) => name === 'Shop servers at night')
  const { clientId: _whose, ...terms } = rule!.rule as Record<string, unknown>
  const changed = await page.request.put(`${url()}/api/callouts/${rule!.id}`, {
    data: {
      name: 'Shop servers at night',
      rule: { ...terms, tell: [{ to: 'person', id: ines.id }], escalate: { after: 60_000, tell: [{ to: 'leads' }] } },
    },
  })
  expect(changed.status()).toBe(200)
  await page.goto(`${url()}/setup?part=ways`)
  await choose(page.getByLabel('Gathered for'), 'no time')
  await choose(page.getByLabel('Most an hour'), '60')
  await page.getByRole('region', { name: 'Gathering' }).getByRole('button', { name: 'Save' }).click()
  await page.getByRole('button', { name: 'Send me a test' }).click()
  await expect(page.getByText(/It took the test: 250/)).toBeVisible()

  // What others have planned before this one would hold it back.
  const found = (await (await page.request.get(`${url()}/api/devices?words=tm-gate-1`)).json()) as BoardPage
  const gate = found.devices.find(({ name }) => name === 'tm-gate-1')!
  const { windows } = (await (
    await page.request.get(`${url()}/api/devices/${gate.id}/windows`)
  ).json()) as DeviceWindows
  for (const window of windows.filter((each) => isOpen(each, Date.now())))
    await page.request.post(`${url()}/api/windows/${window.id}/end`)

  await make(page, 'tm-gate-1', 'stop cron')
  const told = await mailTo(page, 'ines@lanternfield.example', /tm-gate-1.*cron/)
  expect(told).toContain('Tidemill Ferries')
  // What each rule would have done is told: she is on call, too.
  expect(told).toContain('Told by: Servers, day and night; Shop servers at night')
  const escalated = await mailTo(page, demoLead.email, /Nobody took it.*tm-gate-1/)
  const link = /Take it: (\S+)/.exec(escalated)![1]!

  const phone = await telephone(browser)
  await phone.goto(link)
  await signInThere(phone, demoLead.email)
  await expect(phone.getByRole('heading', { name: /cron/ })).toBeVisible()
  // Opened alone it takes nothing.
  await expect(phone.getByText('nobody has it yet')).toBeVisible()
  expect(await phone.evaluate('document.documentElement.scrollWidth')).toBeLessThanOrEqual(390)
  await phone.getByRole('button', { name: 'Take it' }).click()
  await expect(phone.getByText(`critical · taken by ${demoLead.name}`)).toBeVisible()
  await expect(phone.getByText(/^told to Ines Vantorre/).first()).toBeVisible()
  await expect(phone.getByText(/^nobody took it, told to Mara Velde/).first()).toBeVisible()
  // All that one does with an alert is done there, too.
  await phone.getByLabel('Note', { exact: true }).fill('on my way')
  await phone.getByRole('button', { name: /^Note/ }).click()
  await expect(phone.getByText(/note by .*: on my way/)).toBeVisible()
  await phone.getByRole('button', { name: 'Hold' }).click()
  const hold = phone.getByRole('dialog')
  await expect(hold).toBeVisible()
  expect(await phone.evaluate('document.documentElement.scrollWidth')).toBeLessThanOrEqual(390)
  await phone.keyboard.press('Escape')
  await phone.getByRole('button', { name: /^Hand over/ }).click()
  await choose(phone.getByLabel('To whom'), 'Ines Vantorre')
  await phone.getByRole('button', { name: 'Hand over', exact: true }).click()
  await expect(phone.getByText(/handed to Ines Vantorre/).first()).toBeVisible()
  await phone.getByRole('button', { name: 'Start cron', exact: true }).click()
  expect(await mailTo(page, 'ines@lanternfield.example', /Well again: tm-gate-1/)).toContain('well since')
  await phone.context().close()
})

test('an invitation by mail, to the first sign-in with a second factor that the house asks for', async ({
  page,
  browser,
}) => {
  await signIn(page)
  await page.goto(`${url()}/setup?part=people`)
  await page.getByRole('button', { name: 'Add a person' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('Name').fill('Sunniva Brattle')
  await dialog.getByLabel('E-mail').fill('sunniva@lanternfield.example')
  await dialog.getByRole('button', { name: 'Add', exact: true }).click()
  await expect(page.getByText(/on its way to sunniva@lanternfield.example/)).toBeVisible()
  const [link] = /http\S+\/invitation#\S+/.exec(await mailTo(page, 'sunniva@lanternfield.example', /invitation/))!

  const theirs = await telephone(browser)
  await theirs.goto(link)
  await expect(theirs.getByText('Welcome, Sunniva Brattle.')).toBeVisible()
  await theirs.getByLabel(/^Password/).fill('password12')
  await theirs.getByRole('button', { name: 'Choose it' }).click()
  await expect(theirs.getByRole('alert')).toContainText('Many people have this password')
  await theirs.getByLabel(/^Password/).fill('a gull on the quay')
  await theirs.getByRole('button', { name: 'Choose it' }).click()
  await expect(theirs.getByRole('heading', { name: 'Rounds' })).toBeVisible()

  // From now on everybody needs one; the lead has none either, and is led there.
  await choose(page.getByLabel('Second factor of'), 'everybody')
  await page.getByRole('button', { name: 'Save' }).click()
  await page.getByRole('button', { name: 'Ask for it' }).click()
  await theirs.goto(`${url()}/rounds`)
  await expect(theirs.getByText(/asks a second factor of you/)).toBeVisible()
  await theirs.getByLabel('Your password').fill('a gull on the quay')
  await theirs.getByRole('button', { name: 'Set one up' }).click()
  const secret = (await theirs.locator('p.mono').first().textContent())!.trim()
  await theirs.getByLabel('Code', { exact: true }).fill(codeOf(secret))
  await theirs.getByRole('button', { name: 'Use it from now on' }).click()
  await theirs.getByRole('button', { name: 'I have them' }).click()
  await expect(theirs.getByRole('heading', { name: 'Rounds' })).toBeVisible()
  await theirs.context().close()
})

test.afterAll(async ({ browser }) => {
  // The lead has no second factor: what comes after this would find every door closed.
  const { Client } = (await import('pg')).default
  const database = new Client({ connectionString: process.env.E2E_DATABASE! })
  await database.connect()
  await database.query(`update house_policy set second_factor = 'none'`)
  await database.end()
  expect(browser.isConnected()).toBe(true)
})

/** RFC 6238 with its usual values: SHA-1, 30 s, six digits; the secret in base 32 (RFC 4648). */
function codeOf(secret: string): string {
  const bits = [...secret.replace(/[\s=]/g, '')]
    .map((sign) => 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567'.indexOf(sign).toString(2).padStart(5, '0'))
    .join('')
  const key = Buffer.from((bits.match(/.{8}/g) ?? []).map((byte) => parseInt(byte, 2)))
  const counter = Buffer.alloc(8)
  counter.writeBigUInt64BE(BigInt(Math.floor(Date.now() / 30_000)))
  const digest = createHmac('sha1', key).update(counter).digest()
  const at = digest.at(-1)! & 15
  return String((digest.readUInt32BE(at) & 0x7fffffff) % 1_000_000).padStart(6, '0')
}
