import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { ReachPage, ReachRow } from '#contract'
import { minute } from '#core'
import { answerWith, show } from '../../../testing/page'
import ReachBoard from './ReachBoard.vue'
import { lookText, stateOf } from './words'
import { reachTemplateOf, watchReach, defaultsOf } from './watchReach'

enableAutoUnmount(afterEach)
afterEach(() => vi.unstubAllGlobals())

const now = Date.now()
const row = (more: Partial<ReachRow> = {}): ReachRow => ({
  deviceId: 7,
  deviceName: 'bb-orders-page',
  clientName: 'Brindle Bakeries',
  siteName: 'Plant',
  watch: 'reach.port',
  host: 'orders.brindle.example',
  check: { check: 'port', port: 443 },
  gap: null,
  severity: null,
  alertId: null,
  held: false,
  by: [],
  ...more,
})
const looks: ReachRow['by'] = [
  {
    deviceId: 4,
    deviceName: 'bb-plant-app',
    told: { id: 1, outcome: 'bad', fault: 'refused', inARow: 3, lasts: minute },
    toldAt: now - minute,
    isQuiet: false,
  },
  {
    deviceId: 5,
    deviceName: 'bb-plant-db',
    told: { id: 2, outcome: 'good', inARow: 9, lasts: minute, mean: 12.4 },
    toldAt: now,
    isQuiet: false,
  },
  { deviceId: 6, deviceName: 'bb-plant-web', told: null, toldAt: null, isQuiet: true },
]
const first: ReachPage = {
  rows: [row({ severity: 'critical', alertId: 12, by: looks }), row({ watch: 'other', gap: 'nobody', check: null })],
  total: 3,
  wrong: 2,
  next: 'more',
}

describe('what is looked at from elsewhere', () => {
  it('says what each of those who look sees, who says nothing, and what nobody looks at; the rest comes in parts', async () => {
    answerWith({
      'GET /reach': first,
      'GET /reach?after=more': { ...first, rows: [row({ watch: 'third', deviceName: 'bb-plant-switch' })], next: null },
    })
    const { page } = await show(ReachBoard)
    expect(page.text()).toContain('3 looked at from elsewhere, 2 not as they should be')
    expect(page.text()).toContain('port 443, orders.brindle.example')
    expect(page.text()).toContain('refuses the connection, 3 times in a row')
    expect(page.text()).toContain('answers in 12 ms')
    expect(page.text()).toContain('has never told anything')
    expect(page.text()).toContain('Nobody looks: no device of its site has an agent that may.')
    expect(page.get('a[href="/alerts/12"]').attributes('aria-label')).toContain('port 443')
    await page.get('.note button').trigger('click')
    await flushPromises()
    expect(page.text()).toContain('bb-plant-switch')
    expect(page.text()).not.toContain('The first')
  })
  it('where nothing is, it says how one begins', async () => {
    answerWith({ 'GET /reach': { rows: [], total: 0, wrong: 0, next: null } })
    const { page } = await show(ReachBoard)
    expect(page.text()).toContain('is looked at from elsewhere yet. A watch of a port')
  })
})

describe('how a look reads', () => {
  const check = { check: 'port', port: 443 } as const
  it.each([
    ['quiet', { ...looks[1]!, isQuiet: true }, 'has told nothing lately'],
    ['early', { ...looks[2]!, isQuiet: false }, 'is just asked'],
    [
      'trouble',
      { ...looks[0]!, told: { id: 1, outcome: 'trouble' as const, trouble: 'no-ping' as const, inARow: 1, lasts: 0 } },
      'cannot look: there is no ping on it',
    ],
    ['bad', looks[0]!, 'refuses the connection, 3 times in a row'],
  ])('%s', (state, look, text) => {
    expect([stateOf(look), lookText(look, check, now)]).toEqual([state, text])
  })
})

describe('a watch of it', () => {
  const device = { id: 7, name: 'bb-orders-page', clientName: 'Brindle Bakeries' }
  it('goes into a template of the device’s own with what is not as usual alone', () => {
    const values = { ...defaultsOf('reach-page'), path: '/basket' }
    const [template, assignment] = watchReach(device, 'reach-page', values, null)
    expect(template).toMatchObject({
      to: { name: reachTemplateOf(device), watches: [{ kind: 'reach-page', values: { path: '/basket' } }] },
    })
    expect(assignment).toMatchObject({ to: { target: { on: 'devices', deviceIds: [7] } } })
  })
})
