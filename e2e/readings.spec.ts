import { expect, test, type Page } from '@playwright/test'
import { openDevice, signIn, url, choose } from './day'

const [minute, hour, day] = [60_000, 3_600_000, 86_400_000]
const dayNames = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday']
/** A day of the week that was twice in the last twelve days, whatever today is. */
const busyDay = new Date(Date.now() - 3 * day).getUTCDay()
const changedAt = Math.floor((Date.now() - 5 * day) / hour) * hour

function isBusyAt(at: number): boolean {
  const time = new Date(at)
  return time.getUTCDay() === busyDay && time.getUTCHours() >= 8 && time.getUTCHours() < 10
}

/** A machine at a site on UTC, busy one morning a week from eight to ten, that has needed more memory for five days. */
function readingsAt(at: number): [string, string, number][] {
  const isBusy = isBusyAt(at)
  const wobble = (((at / minute) * 7919) % 13) / 400
  return [
    ['cpu.busy', '', Math.min(1, (isBusy ? 0.99 : 0.1) + wobble)],
    ['memory.size', '', 32e9],
    ['memory.available', '', (at < changedAt ? 20e9 : 14e9) + 1e10 * wobble],
    ['net.sent', 'eth0', (isBusy ? 9e6 : 1e6) * (1 + wobble)],
  ]
}

/** What runs there then. */
const ranAt = (at: number) =>
  isBusyAt(at) ? { top: { took: 4.5, processes: [{ name: 'stock-count', cpu: 0.93, memory: 2e9, count: 1 }] } } : {}

async function bringHistory(page: Page, name: string): Promise<number> {
  const clients = (await (await page.request.get(`${url()}/api/clients`)).json()) as { id: number; code: string }[]
  const clientId = clients.find(({ code }) => code === 'lf')!.id
  const site = { clientId, name: 'Yard', zone: 'Etc/UTC', networks: [] }
  const { id: siteId } = (await (await page.request.post(`${url()}/api/sites`, { data: site })).json()) as {
    id: number
  }
  const { key } = (await (
    await page.request.post(`${url()}/api/enrolment-keys`, {
      data: { siteId, label: '', uses: 1, days: 1, kind: 'server', roles: [], tags: [] },
    })
  ).json()) as { key: string }
  const { deviceId, deviceKey } = (await (
    await page.request.post(`${url()}/api/agent/enrol`, {
      data: { version: 1, key, name, osFamily: 'linux', osName: 'Debian 12', sentAt: Date.now() },
    })
  ).json()) as { deviceId: number; deviceKey: string }
  let seq = 0
  for (let from = Date.now() - 12 * day; from < Date.now(); from += 120 * 10 * minute) {
    const reports = []
    for (let at = from; at < Math.min(Date.now(), from + 120 * 10 * minute); at += 10 * minute)
      reports.push({ seq: ++seq, at, interval: 10 * minute, readings: readingsAt(at), ...ranAt(at) })
    const answer = await page.request.post(`${url()}/api/agent/reports`, {
      headers: { authorization: `Bearer ${deviceKey}` },
      data: { version: 1, sentAt: Date.now(), oldest: reports[0]!.seq, reports },
    })
    expect(answer.status()).toBe(200)
  }
  return deviceId
}

test('what is slow one morning a week is found in two steps, from the device and from its alert', async ({ page }) => {
  await signIn(page)
  const id = await bringHistory(page, 'lf-reading-1')
  const finding = page.getByRole('button', { name: `${dayNames[busyDay]}s from 08:00 to 10:00` })

  await openDevice(page, 'lf-reading-1')
  await page.getByRole('tab', { name: 'Readings' }).click()
  await page.getByRole('link', { name: 'CPU busy' }).first().click()
  await page.getByRole('tab', { name: 'When it happens' }).click()
  await expect(page.getByText(/it is usually up to (99|100) %; on no other day more than 1\d %/)).toBeVisible()
  await finding.click()
  const then = page.getByRole('region', { name: 'What was so then' })
  await expect(then.getByRole('row').filter({ hasText: /08:00/ })).toHaveCount(2)
  await expect(then.getByText('Sent eth0')).toBeVisible()
  // To one of the times, and Back to the week.
  await then.getByRole('button', { name: /08:00/ }).first().click()
  await expect(page).toHaveURL(/from=.*until=/)
  await expect(page.getByRole('tab', { name: 'Over time' })).toHaveAttribute('aria-selected', 'true')
  await expect(
    page
      .getByRole('row')
      .filter({ hasText: /CPU busy (99|100) %/ })
      .first(),
  ).toBeVisible()
  await page.goBack()
  await expect(finding).toBeVisible()
  // By keys alone: along the day from the first hour, with Shift for more.
  await page
    .getByRole('gridcell', { name: /Monday 00:00/ })
    .first()
    .focus()
  await page.keyboard.press('ArrowDown')
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('Shift+ArrowRight')
  await expect(page.getByRole('heading', { name: 'Tuesdays from 01:00 to 03:00' })).toBeVisible()

  const alerts = (await (await page.request.get(`${url()}/api/devices/${id}/alerts?limit=50`)).json()) as {
    id: number
    rule: { kind: string }
  }[]
  const busy = alerts.find(({ rule }) => rule.kind === 'cpu-busy')!
  await page.goto(`${url()}/alerts/${busy.id}`)
  // Who it was stands there, and leads to that moment.
  const ran = page.getByRole('region', { name: 'What ran' })
  await expect(ran.getByRole('row', { name: /stock-count 93 %/ })).toBeVisible()
  await ran.getByRole('link').first().click()
  await expect(page.getByRole('heading', { name: /What ran around .* 0[89]:/ })).toBeVisible()
  await expect(ran.getByRole('row', { name: /stock-count/ })).toBeVisible()
  await page.goBack()
  await page.getByRole('link', { name: 'When does it happen?' }).click()
  await expect(finding).toBeVisible()
})

test('a chart is drawn across, laid over with what was earlier, and asked what changed; what is shown stands in its address', async ({
  page,
}) => {
  await signIn(page)
  await openDevice(page, 'lf-reading-1')
  await page.getByRole('tab', { name: 'Readings' }).click()
  await choose(page.getByLabel('Span'), '2 weeks')
  await page.getByRole('link', { name: 'Memory available' }).first().click()
  const chart = page.locator('.chart.tall')
  await expect(chart.locator('canvas')).toBeVisible()
  await expect(page.getByText(/Levels in force: .*warning at 2.6 GB/)).toBeVisible()

  await choose(page.getByLabel('Lay over it'), 'a week earlier')
  const numbers = page.getByRole('table', { name: 'Memory available, in numbers' })
  // With its heading.
  await expect(numbers.getByRole('row')).toHaveCount(3)
  await expect(numbers).toContainText('Memory available, a week earlier')
  await choose(page.getByLabel('Lay over it'), 'CPU busy')
  await expect(numbers.getByRole('row')).toHaveCount(4)

  // Another person who is sent the address sees the same.
  const address = page.url()
  await page.goto(address)
  await expect(numbers.getByRole('row')).toHaveCount(4)

  const box = (await chart.boundingBox())!
  await page.mouse.move(box.x + 0.55 * box.width, box.y + 120)
  await page.mouse.down()
  await page.mouse.move(box.x + 0.8 * box.width, box.y + 120, { steps: 4 })
  await page.mouse.up()
  await expect(page).toHaveURL(/from=.*until=/)
  await page.goBack()
  await expect(page).toHaveURL(address)
  await expect(chart.locator('canvas')).toBeVisible()

  await page.mouse.click(box.x + 0.5 * box.width, box.y + 120)
  await page.getByRole('link', { name: 'what changed here?' }).click()
  const since = page.getByLabel('Since')
  await since.fill(new Date(changedAt).toISOString().slice(0, 16).replace('T', ' '))
  await since.press('Enter')
  const changes = page.getByRole('table', { name: 'What changed' })
  await expect(changes.getByRole('row').nth(1)).toContainText(/Memory available\s*20 GB\s*14 GB\s*6(\.\d)? GB less/)
  await expect(changes.getByRole('row').filter({ hasText: 'CPU' })).toHaveCount(0)

  await page.getByRole('tab', { name: 'Values' }).click()
  await expect(page.getByRole('table', { name: 'Values' }).getByRole('row').nth(50)).toBeVisible()
  const download = page.waitForEvent('download')
  await page.getByRole('link', { name: 'CSV' }).click()
  expect((await download).suggestedFilename()).toBe('lf-reading-1-readings.csv')
})

test('what is usual for it, what would have been told, and a watch of that; learned anew and back', async ({
  page,
}) => {
  await signIn(page)
  const clients = (await (await page.request.get(`${url()}/api/clients`)).json()) as { id: number; code: string }[]
  const clientId = clients.find(({ code }) => code === 'lf')!.id
  const lines = []
  for (let at = Date.now() - 40 * day; at < Date.now() - 13 * day; at += hour / 2)
    lines.push(
      JSON.stringify({
        device: 'lf-reading-1',
        time: Math.round(at),
        metric: 'cpu.busy',
        instance: '',
        value: 0.1 + ((Math.floor(at / hour) * 7919) % 13) / 400,
      }),
    )
  const brought = await page.request.post(`${url()}/api/clients/${clientId}/history?file=before.ndjson`, {
    headers: { 'content-type': 'application/x-ndjson' },
    data: lines.join('\n'),
  })
  expect(((await brought.json()) as { refused: number }).refused).toBe(0)

  await openDevice(page, 'lf-reading-1')
  await page.getByRole('tab', { name: 'Readings' }).click()
  await page.getByRole('link', { name: 'CPU busy' }).first().click()
  await page.getByRole('tab', { name: 'What is usual' }).click()
  await expect(
    page.getByText(/Learned from (2[7-9]|3\d|40) days of the last 42 days.*No watch in force judges it by this/),
  ).toBeVisible()
  const told = page.getByRole('table', { name: 'What would have been told' })
  // Two mornings were busy; the first weeks had none.
  await expect(told.getByRole('row', { name: /^low/ })).toContainText(/[12] times?/)
  const morning = told.getByRole('row', { name: /^low/ }).getByRole('button').first()
  await expect(morning).toContainText(/ 0[89]:/)

  await page.getByRole('button', { name: 'Tell when it is unusual' }).click()
  const dialog = page.getByRole('dialog')
  await expect(dialog).toContainText('When the CPU busy is more than usual at that hour of the week')
  await choose(dialog.getByLabel('Template', { exact: true }), 'a new one for lf-reading-1 alone')
  await dialog.getByRole('button', { name: 'Watch it on 1 device' }).click()
  await expect(page.getByText(/Unusual: CPU busy judges by it, with medium sensitivity/)).toBeVisible()

  await page.getByRole('button', { name: 'Learn anew from now on' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Learn anew' }).click()
  await expect(page.getByText(/learning, 21 days to go/)).toBeVisible()
  await page.getByRole('button', { name: 'Let all that is kept count again' }).click()
  await expect(page.getByText(/judges by it/)).toBeVisible()

  // To one of the times, with what is usual beneath it.
  await morning.click()
  await expect(page).toHaveURL(/usual=shown/)
  await expect(page.getByRole('checkbox', { name: 'what is usual' })).toBeChecked()
  await expect(page.getByRole('img', { name: 'CPU busy' }).or(page.locator('canvas')).first()).toBeVisible()
  await page.goBack()
  await expect(told).toBeVisible()
})
