import { expect, test, type Page } from '@playwright/test'
import axeCore from 'axe-core'
import type { BoardPage, Rounds, TemplateSummary, WindowList } from '#contract'
import { signIn, url } from './day'

// Every place and the dialogs that people meet, light and dark, against WCAG 2.2 AA as far as a program can tell:
// axe-core, by the rules that its authors tag so.
const axe = axeCore.source
const tags = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']

interface Finding {
  id: string
  impact: string | null
  nodes: { html: string; target: string[] }[]
}

/** What it finds serious or critical, as `rule: element`. @param rules by default all of those tags */
async function findings(page: Page, rules?: string[]): Promise<string[]> {
  // Not as a script of the page, which its policy forbids.
  await page.evaluate(axe)
  // The open list of a choice is gone through from its field, and takes no focus itself.
  const where = { exclude: [['.el-select-dropdown__list']] }
  const runOnly = rules ? { type: 'rule', values: rules } : tags
  const violations = await page.evaluate<Finding[]>(
    `axe.run(${JSON.stringify(where)}, { runOnly: ${JSON.stringify(runOnly)}, resultTypes: ['violations'] }).then((found) => found.violations)`,
  )
  return violations
    .filter(({ impact }) => impact === 'serious' || impact === 'critical')
    .flatMap(({ id, nodes }) => nodes.slice(0, 5).map(({ html }) => `${id}: ${html.slice(0, 200)}`))
}

const settled = async (page: Page) => {
  await page.waitForLoadState('networkidle').catch(() => undefined)
  await expect(page.locator('[aria-busy=true]')).toHaveCount(0)
}

const parts = {
  rollout: ['coverage', 'sweep', 'keys', 'newcomers', 'roles', 'waves', 'versions', 'retired'],
  setup: ['callouts', 'teams', 'ways', 'people', 'clients', 'tokens', 'secrets', 'trail', 'storage', 'health'],
  policy: ['grid', 'assignments', 'exceptions', 'templates', 'library', 'text'],
}
const tabs = ['now', 'services', 'processes', 'readings', 'log', 'roster', 'alerts', 'maintenance', 'changes']

async function everyPlace(page: Page): Promise<string[]> {
  const device = ((await (await page.request.get(`${url()}/api/devices?limit=1`)).json()) as BoardPage).devices[0]!
  const windows = (await (await page.request.get(`${url()}/api/windows`)).json()) as WindowList
  const repeats = windows.windows.find(({ rule }) => rule !== null)!
  const rounds = (await (await page.request.get(`${url()}/api/rounds`)).json()) as Rounds
  const template = ((await (await page.request.get(`${url()}/api/templates`)).json()) as TemplateSummary[])[0]!
  return [
    '/rounds',
    '/rounds?severity=critical&since=24h',
    '/rounds/shift?since=7d',
    `/alerts/${rounds.todo.rows[0]!.id}`,
    '/estate',
    '/estate?words=nothing-is-called-so',
    '/estate/series',
    '/estate/series?as=pictures',
    '/estate/filling',
    '/estate/reach',
    '/estate/services',
    '/estate/services?service=nginx',
    '/estate/updates',
    '/estate/updates?view=names',
    '/estate/updates?update=openssl',
    '/estate/log',
    '/estate/log?together=yes',
    '/estate/log?words=nothing-says-so',
    ...['chart', 'when', 'changed', 'values'].map(
      (view) => `/estate/${device.id}?open=cpu.busy|&view=${view}#readings`,
    ),
    '/maintenance',
    '/maintenance?days=28',
    '/maintenance/calendar',
    '/reference',
    '/requests/1',
    `/maintenance/${repeats.id}`,
    `/estate/${device.id}/why?watch=services`,
    '/me',
    '/nowhere',
    `/policy/${template.id}`,
    ...tabs.map((tab) => `/estate/${device.id}#${tab}`),
    ...Object.entries(parts).flatMap(([place, names]) => names.map((part) => `/${place}?part=${part}`)),
  ]
}

const isBeyond = `[...document.querySelectorAll('body *')]
  .filter((each) => !each.closest('.el-table, .el-table-v2, .cm-scroller, svg, pre'))
  .filter((each) => each.getBoundingClientRect().width > 0 && each.getBoundingClientRect().right > innerWidth + 1)
  .map((each) => each.outerHTML.slice(0, 100))`

/**
 * Whatever goes beyond the page at twice the size: 1280 by 800, at 200 % (WCAG 2.2, 1.4.4). What follows the size of
 * the page does so a moment later.
 */
async function beyond(page: Page): Promise<string[]> {
  await page.setViewportSize({ width: 640, height: 400 })
  await settled(page)
  let found = await page.evaluate<string[]>(isBeyond)
  for (const end = Date.now() + 15_000; found.length && Date.now() < end;) {
    await page.waitForTimeout(250)
    found = await page.evaluate<string[]>(isBeyond)
  }
  await page.setViewportSize({ width: 1280, height: 800 })
  return found
}

/** Light, dark and at twice the size. What is dark differs in its colours alone, so that only those are asked again. */
async function everyLook(page: Page): Promise<Record<string, string[]>> {
  await page.emulateMedia({ colorScheme: 'light', reducedMotion: 'reduce' })
  await settled(page)
  const light = await findings(page)
  await page.emulateMedia({ colorScheme: 'dark', reducedMotion: 'reduce' })
  await settled(page)
  return { light, dark: await findings(page, ['color-contrast']), twice: await beyond(page) }
}

test('at every place, light and dark, nothing serious is found, and at twice the size nothing but tables goes beyond the page', async ({
  page,
}) => {
  test.setTimeout(1_200_000)
  const found: Record<string, string[]> = {}
  const look = async (path: string) => {
    await page.goto(`${url()}${path}`)
    await settled(page)
    for (const [how, list] of Object.entries(await everyLook(page))) if (list.length) found[`${path} ${how}`] = list
  }
  await look('/sign-in')
  await page.emulateMedia({ colorScheme: 'light', reducedMotion: 'reduce' })
  await signIn(page)
  for (const path of await everyPlace(page)) await look(path)
  expect(found).toEqual({})
})

test('nothing serious is found in dialogs, menus and open choices', async ({ page }) => {
  test.setTimeout(360_000)
  await page.emulateMedia({ reducedMotion: 'reduce' })
  await signIn(page)
  const found: Record<string, string[]> = {}
  const look = async (what: string) => {
    await page.waitForTimeout(400)
    found[what] = await findings(page)
  }
  await page.keyboard.press('?')
  await look('keys')
  await page.keyboard.press('Escape')
  await page.goto(`${url()}/policy`)
  await page.getByRole('button', { name: 'Assign a template' }).click()
  await expect(page.getByRole('dialog')).toBeVisible()
  await look('assign')
  await page.goto(`${url()}/policy?part=exceptions`)
  await page.getByRole('button', { name: 'Make an exception' }).click()
  await look('exception')
  await page.goto(`${url()}/maintenance`)
  await page.getByRole('button', { name: /Plan/ }).first().click()
  await look('window')
  await page.goto(`${url()}/estate`)
  await page.getByRole('combobox', { name: 'Role' }).focus()
  await page.keyboard.press('Enter')
  await look('open choice')
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'columns' }).click()
  await look('columns')
  expect(Object.fromEntries(Object.entries(found).filter(([, list]) => list.length))).toEqual({})
})

test('at twice the size an alert lies over its list', async ({ page }) => {
  await signIn(page)
  await page.setViewportSize({ width: 640, height: 400 })
  await page.goto(`${url()}/rounds`)
  await page.getByRole('region', { name: 'To do' }).locator('.row').first().click()
  const panel = page.getByRole('dialog', { name: 'What it is about' })
  await expect(panel.getByRole('button', { name: 'Take' })).toBeVisible()
  expect(await findings(page)).toEqual([])
  await page.keyboard.press('Escape')
  await expect(panel).toHaveCount(0)
})
