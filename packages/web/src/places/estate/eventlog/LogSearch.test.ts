import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { LogEntry, LogGroups, LogMatches } from '#contract'
import { day, templateFaults, watchKind, type TemplateBody } from '#core'
import { answerWith, choose, show, type Answers } from '../../../testing/page'
import { useSession } from '../../../parts/data/session'
import LogSearch from './LogSearch.vue'
import { valuesFor, wordsOf } from './logFilter'
import { allValues, watchIn, watchOn } from './watchFor'

enableAutoUnmount(afterEach)
afterEach(() => {
  vi.unstubAllGlobals()
  vi.useRealTimers()
})

const now = Date.now()
const entry = (more: Partial<LogEntry> = {}): LogEntry => ({
  key: `k${JSON.stringify(more)}`,
  at: now - 60_000,
  deviceId: 7,
  deviceName: 'tm-gate-1',
  clientName: 'Tidemill Ferries',
  channel: 'journal',
  source: 'sshd',
  id: null,
  level: 'error',
  text: 'Failed for jo from 192.0.2.7 port 50022',
  fields: null,
  ...more,
})
const groups = (more: Partial<LogGroups> = {}): LogGroups => ({
  total: 1,
  isMore: false,
  since: now - day,
  groups: [
    {
      ...{ channel: 'journal', source: 'sshd', id: null, level: 'error', entries: 1203, devices: 4 },
      text: 'Failed for jo from #.#.#.# port #',
      firstAt: now - day,
      lastAt: now,
    },
  ],
  groupCount: 1,
  ...more,
})
const matches: LogMatches = {
  since: now - 14 * day,
  total: 1203,
  isMore: false,
  deviceCount: 4,
  days: [{ day: now - (now % day), entries: 1203 }],
  devices: [{ deviceId: 7, deviceName: 'tm-gate-1', clientName: 'Tidemill Ferries', entries: 1200, lastAt: now }],
}
async function open(at: string, answers: Answers) {
  const asked = answerWith(answers)
  const { page, router } = await show(LogSearch, {}, at)
  // Long enough for what is typed to be asked.
  await new Promise((resolve) => setTimeout(resolve, 300))
  await flushPromises()
  return { page, router, asked }
}
const textOf = (page: { text(): string }) => page.text().replace(/\s+/g, ' ')

describe('the search of the log', () => {
  it('asks for what stands in the address, tells how many match, and shows them with where they came from', async () => {
    const { page, asked } = await open('/?level=warning&log=auth*&source=sshd&id=7&words=jo&hours=24', {
      'GET /log': { entries: [entry()], next: 'further' },
      'GET /log/groups': groups({ total: 10_000, isMore: true }),
    })
    const query = new URLSearchParams(asked.findLast(({ path }) => path.startsWith('/log?'))!.path.split('?')[1])
    expect(Object.fromEntries(query)).toMatchObject({
      ...{ level: 'warning', channel: 'auth*', source: 'sshd', id: '7', text: 'jo' },
    })
    expect(Math.abs(Number(query.get('from')) - (Date.now() - day))).toBeLessThan(10_000)
    expect(textOf(page)).toContain('More than 10,000 entries match; those since')
    expect(page.find('tbody tr').text()).toContain('tm-gate-1')
    await page
      .findAll('button')
      .find((button) => button.text() === 'Older entries')!
      .trigger('click')
    await flushPromises()
    expect(asked.at(-1)!.path).toContain('after=further')
  })
  it('says that nothing matches, and what is wrong, and asks again', async () => {
    const none = await open('/', {
      'GET /log': { entries: [], next: null },
      'GET /log/groups': groups({ total: 0, groups: [], groupCount: 0 }),
    })
    expect(textOf(none.page)).toContain('No entry matches.')
    expect(textOf(none.page)).toContain('0 entries match.')
    const broken = await open('/', { 'GET /log': 500, 'GET /log/groups': groups() })
    expect(textOf(broken.page)).toContain('refused with 500')
  })
  it('shows repeats with their number, says of how many kinds, and narrows to one of them', async () => {
    const { page, router } = await open('/?together=yes&words=x', {
      'GET /log': { entries: [entry()], next: null },
      'GET /log/groups': groups({ groupCount: 412 }),
    })
    expect(page.find('tbody tr').text()).toContain('1,203')
    expect(textOf(page)).toContain('The 1 most frequent of 412 kinds')
    await page.find('button[title="Show them"]').trigger('click')
    await flushPromises()
    expect(router.currentRoute.value.query).toEqual({
      ...{ log: 'journal', source: 'sshd', level: 'error', words: 'Failed for jo from *.*.*.* port *' },
    })
  })
  it('makes a watch of an entry, with how often it came, and puts it into a template', async () => {
    const template = { id: 3, revision: 5, name: 'Base', description: '', includes: [], watches: [] }
    const { page, asked } = await open('/', {
      'GET /log': { entries: [entry()], next: null },
      'GET /log/groups': groups(),
      'GET /log/matches': matches,
      'GET /policy': { templates: [template], assignments: [], exceptions: [] },
      'GET /templates/3': template,
      'POST /policy/impact': 500,
    })
    useSession().person = { id: 1, access: 'lead', clientIds: null } as never
    await page.find('button[title="All of it"]').trigger('click')
    await flushPromises()
    const inDialog = (words: string) =>
      [...document.querySelectorAll<HTMLElement>('[role=dialog] button')].find((button) =>
        button.textContent!.includes(words),
      )!
    inDialog('Watch for it').click()
    await new Promise((resolve) => setTimeout(resolve, 300))
    await flushPromises()
    const dialog = () => document.querySelector('[role=dialog]')!.textContent!.replace(/\s+/g, ' ')
    expect(dialog()).toContain('saying “Failed for jo from *.*.*.* port *” appears once')
    expect(dialog()).toContain('1,203 times in the last 14 days, on 4 devices.')
    expect(dialog()).toContain('and 3 devices more')
    expect(asked.findLast(({ path }) => path.startsWith('/log/matches'))!.path).toContain('source=sshd')
    await choose(page, 'Template', '3')
    await vi.waitFor(() => expect(asked.some(({ path }) => path === '/policy/impact')).toBe(true))
    const { steps } = asked.findLast(({ path }) => path === '/policy/impact')!.body as { steps: { to: TemplateBody }[] }
    expect(steps[0]!.to.watches).toMatchObject([
      { kind: 'log-match', values: { channel: 'journal', source: 'sshd', text: 'Failed for jo from *.*.*.* port *' } },
    ])
  })
})

describe('how much is written', () => {
  it('stands by log and level, with what nobody would miss; a lead chooses what is kept', async () => {
    const template = { id: 3, revision: 5, name: 'Base', description: '', includes: [], watches: [] }
    const volume = (level: string, entries: number, watched = 0) => ({
      channel: 'journal',
      level,
      entries,
      devices: 4,
      watched,
    })
    const { page, asked } = await open('/?together=volume', {
      'GET /log': { entries: [], next: null },
      'GET /log/groups': groups(),
      'GET /log/volume': { volumes: [volume('informational', 9000, 1000), volume('error', 1000)] },
      'GET /policy': { templates: [template], assignments: [], exceptions: [] },
      'GET /templates/3': template,
      'POST /policy/impact': 500,
    })
    expect(textOf(page)).toContain('10,000 entries came in 24 hours; 8,000 of them (80 %)')
    const row = page.find('tbody tr').text().replace(/\s+/g, ' ')
    expect(row).toContain('1,000 error, 9,000 informational')
    expect(row).toContain('8,000 below notice')
    expect(page.findAll('button').some((button) => button.text().startsWith('Choose'))).toBe(false)
    useSession().person = { id: 1, access: 'lead', clientIds: null } as never
    await flushPromises()
    await page
      .findAll('button')
      .find((button) => button.text().startsWith('Choose'))!
      .trigger('click')
    await flushPromises()
    expect(document.querySelector('[role=dialog]')!.textContent!.replace(/\s+/g, ' ')).toContain(
      'Of the journal log, keep entries at notice or worse, and whatever a watch looks for.',
    )
    await choose(page, 'Template', '3')
    await vi.waitFor(() => expect(asked.some(({ path }) => path === '/policy/impact')).toBe(true))
    const { steps } = asked.findLast(({ path }) => path === '/policy/impact')!.body as { steps: { to: TemplateBody }[] }
    expect(templateFaults(steps[0]!.to.watches)).toEqual([])
    expect(steps[0]!.to.watches).toMatchObject([
      { key: 'log-kept.journal', kind: 'log-kept', values: { channel: 'journal', level: 'notice' } },
    ])
  })
})

describe('a watch made of an entry', () => {
  const device = { id: 7, name: 'tm-gate-1', clientName: 'Tidemill Ferries' }
  it('looks for the id where the log has one, and else for the words without their numbers', () => {
    expect(valuesFor(entry({ id: 4625, level: 'critical' }))).toMatchObject({
      id: 4625,
      text: '',
      severity: 'critical',
    })
    expect(valuesFor(entry({ level: 'informational' }))).toMatchObject({ id: null, severity: 'notice' })
    expect(wordsOf('first 1\nsecond')).toBe('first *')
    expect(wordsOf('x'.repeat(5000))).toHaveLength(200)
  })
  it.each(['log-match', 'log-absence', 'log-pair'] as const)('is one that policy takes: %s', (kind) => {
    const values = allValues(kind, valuesFor(entry({ text: 'y'.repeat(1990) })))
    const [step] = watchOn(device, kind, values, entry({ source: 'z'.repeat(200) }))
    const body = (step as { to: TemplateBody }).to
    expect(templateFaults(body.watches)).toEqual([])
    expect(body.watches[0]!.values).not.toHaveProperty('quiet')
    expect(
      Object.keys(body.watches[0]!.values).every((name) =>
        watchKind(kind).parameters.some((parameter) => parameter.name === name),
      ),
    ).toBe(true)
    const known = { id: 3, revision: 1, name: 'Base', description: '', includes: [], watches: body.watches }
    // Of different entries never the same key, in whatever template: else a device would have one of the two.
    const keyOf = (of: LogEntry) =>
      (watchIn({ ...known, watches: [] }, kind, allValues(kind, valuesFor(of)), of, '')[0] as { to: TemplateBody }).to
        .watches[0]!.key
    expect(keyOf(entry())).not.toBe(keyOf(entry({ source: 'cron' })))
    expect(keyOf(entry({ id: 7 }))).not.toBe(keyOf(entry({ id: 8 })))
    expect(keyOf(entry({ source: 'z'.repeat(200) })).length).toBeLessThan(60)
    const [into] = watchIn(known, kind, values, entry(), '')
    const keys = (into as { to: TemplateBody }).to.watches.map(({ key }) => key)
    expect(new Set(keys).size).toBe(2)
  })
})
