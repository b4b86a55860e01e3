import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { DevicePage, UsualPage } from '#contract'
import { day, hour, unusualKindOf } from '#core'
import { usualAt } from '../../../parts/data/usualAt'
import { answerWith, show } from '../../../testing/page'
import SeriesUsual from './SeriesUsual.vue'
import { usualTemplateOf, watchUsual } from './watchUsual'

enableAutoUnmount(afterEach)
afterEach(() => vi.unstubAllGlobals())

const device = { id: 7, name: 'tm-app-1', clientName: 'Tidemill Ferries', zone: 'UTC' } as DevicePage
const series = { metric: 'cpu.busy', instance: '' }
/** A Monday at noon, in UTC. */
const monday = Date.UTC(2026, 10, 23, 12)
const page = (more: Partial<UsualPage> = {}): UsualPage => ({
  zone: 'UTC',
  from: monday - 40 * day,
  until: monday,
  days: 40,
  oddDays: [],
  beganAnew: null,
  anewBy: null,
  // Monday from noon to two in the afternoon.
  cells: [12, 13].map((cell) => ({ cell, middle: 0.4, spread: 0.02 })),
  watches: [],
  tried: [
    { sensitivity: 'low', told: [] },
    { sensitivity: 'medium', told: [{ from: monday - 2 * day, until: monday - 2 * day + 2 * hour }] },
    { sensitivity: 'high', told: [{ from: monday - hour, until: null }] },
  ],
  triedFrom: monday - 14 * day,
  asked: { direction: 'more', sensitivity: 'low', least: 0.25, span: hour, training: 21 * day },
  ...more,
})
const none = { from: 1, until: 2, width: 60_000, level: 'readings', series: [], away: null }

async function shown(answer: UsualPage): Promise<string> {
  answerWith({ 'GET /devices/7/usual': answer, 'GET /devices/7/series': none })
  const { page: view } = await show(SeriesUsual, { device, series })
  await flushPromises()
  return view.text().replace(/\s+/g, ' ')
}

describe('what is usual', () => {
  it('says of what it was learned, and what would have been told', async () => {
    const text = await shown(page())
    expect(text).toContain('Learned from 40 days of the last 42 days.')
    expect(text).toContain('No watch in force judges it by this.')
    expect(text).toMatch(/low ?never/)
    expect(text).toMatch(/medium ?1 time.*for 2 h/)
    expect(text).toMatch(/high ?1 time.*and still/)
  })
  it('says what was left out, who learns, for how long still, and why anew', async () => {
    const watch = { key: 'u', name: 'CPU unlike itself', asked: page().asked!, toGo: 9 }
    const anew = await shown(
      page({
        days: 12,
        oddDays: [monday - 4 * day],
        beganAnew: monday - 12 * day,
        anewBy: 'M. Vale',
        watches: [watch],
      }),
    )
    expect(anew).toMatch(
      /Learned from 12 days since 11 Nov 2026, because M\. Vale said so\. Left out, being unlike their kind: 19 Nov 2026\./,
    )
    expect(anew).toContain('CPU unlike itself is learning, 9 days to go, with low sensitivity.')
    expect(await shown(page({ beganAnew: monday - 12 * day }))).toContain(
      'because it has stayed different from then on',
    )
  })
  it('says so where nothing is known, and where no watch judges it so', async () => {
    expect(await shown(page({ from: null, until: null, days: 0, cells: [] }))).toContain('Nothing is known of it yet')
    const text = await shown(page({ asked: null, tried: [] }))
    expect(text).toContain('No watch judges this by what is usual.')
    expect(text).not.toContain('What would have been told')
  })
  it('the band lies about what is usual, by the sensitivity; nothing where nothing is known', () => {
    const at = usualAt(page(), 'cpu.busy')!
    const band = at(monday + hour)!
    expect([band.low, band.middle, band.high].map((value) => Number(value.toFixed(3)))).toEqual([0.24, 0.4, 0.56])
    expect(at(monday + 6 * hour)).toBeNull()
    expect(usualAt(page({ cells: [] }), 'cpu.busy')).toBeNull()
    expect(usualAt(page({ asked: null }), 'uptime')).toBeNull()
  })
  it('a watch of it goes into a template, with only what is not as usual; or into one for the device alone', () => {
    const kind = unusualKindOf('cpu.busy')!
    const standard = Object.fromEntries(kind.parameters.map(({ name, default: value }) => [name, value]))
    const [step, assigned] = watchUsual(device, kind, { ...standard, sensitivity: 'low' }, null)
    expect(step).toMatchObject({
      of: 'template',
      to: {
        name: usualTemplateOf(device),
        watches: [{ key: 'unusual.own-7-cpu-busy', kind: 'unusual-cpu', values: { sensitivity: 'low' } }],
      },
    })
    expect(assigned).toMatchObject({ of: 'assignment', to: { target: { on: 'devices', deviceIds: [7] } } })
    const known = { id: 3, revision: 2, name: 'T', description: '', includes: [], watches: [] }
    expect(watchUsual(device, kind, standard, known)).toMatchObject([
      { id: 3, basedOn: 2, to: { watches: [{ key: 'unusual.cpu-busy', values: {} }] } },
    ])
  })
})
