import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { EstateSeries, EstateSeriesRow } from '#contract'
import { answerWith, choose, show } from '../../testing/page'
import SeriesBoard from './SeriesBoard.vue'

enableAutoUnmount(afterEach)
afterEach(() => vi.unstubAllGlobals())

const row = (deviceId: number, deviceName: string, more: Partial<EstateSeriesRow> = {}): EstateSeriesRow => ({
  deviceId,
  deviceName,
  clientName: 'Tidemill Ferries',
  siteName: 'Harbour',
  instance: '',
  last: 0.5,
  min: 0.1,
  mean: 0.4,
  p95: 0.9,
  isWorstCase: false,
  max: 1,
  means: [0.3, null, 0.5],
  ...more,
})
const whole: EstateSeries = {
  from: Date.UTC(2026, 2, 1),
  until: Date.UTC(2026, 2, 8),
  width: 6 * 3_600_000,
  isScarce: false,
  total: 2,
  isTotalMost: false,
  due: 0,
  rows: [row(1, 'tm-a'), row(2, 'tm-b', { p95: 0.85, isWorstCase: true })],
}
const answered = (more: Partial<EstateSeries> = {}) => answerWith({ 'GET /estate/series': { ...whole, ...more } })
const beyondAsked = (asked: { path: string }[]) => new URLSearchParams(asked.at(-1)!.path.split('?')[1]).get('beyond')

async function typeBeyond(board: Awaited<ReturnType<typeof show>>['page'], text: string): Promise<void> {
  await board.get('.beyond input').setValue(text)
  await board.get('.beyond input').trigger('change')
  await flushPromises()
}

describe('series of all devices', () => {
  it('are narrowed by what somebody types in their unit, and the address has it', async () => {
    const asked = answered()
    const { page: board, router } = await show(SeriesBoard)
    expect(beyondAsked(asked)).toBeNull()
    await typeBeyond(board, '80 %')
    expect(beyondAsked(asked)).toBe('0.8')
    expect(router.currentRoute.value.query.beyond).toBe('80 %')
  })
  it('what is no value of this series is said, and leaves nothing out', async () => {
    const asked = answered()
    const { page: board } = await show(SeriesBoard, {}, '/?beyond=10%20GB')
    expect(beyondAsked(asked)).toBeNull()
    expect(board.get('[role=alert]').text()).toContain('“10 GB” cannot be read as a value of this series')
    expect(board.get('[role=alert]').text()).toContain('80 %')
    await typeBeyond(board, '')
    expect(board.find('[role=alert]').exists()).toBe(false)
  })
  it('another series is not narrowed by the value of the one before', async () => {
    const asked = answered()
    const { page: board } = await show(SeriesBoard, {}, '/?beyond=80%20%25')
    expect(beyondAsked(asked)).toBe('0.8')
    await choose(board, 'Series', 'disk.free')
    await flushPromises()
    expect(asked.at(-1)!.path).toContain('metric=disk.free')
    expect(beyondAsked(asked)).toBeNull()
  })
  it('says how far what is told can be relied on', async () => {
    answered({ total: 340, isTotalMost: true, due: 3 })
    const { page: board } = await show(SeriesBoard, {}, '/?beyond=80%20%25')
    const text = board.text()
    expect(text).toContain('at most 340 series')
    expect(text).toContain('The worst 2 of at most 340.')
    expect(text).toContain('≤ 85 %')
    expect(text).toContain('its days are kept without what a percentile is made of')
    expect(text).toContain('The days of 3 devices are still being summed up')
  })
  it('where nothing is so bad it says so', async () => {
    answered({ total: 0, rows: [] })
    const { page: board } = await show(SeriesBoard, {}, '/?beyond=99%20%25')
    expect(board.text()).toContain('No series is at 99 % or more in these days.')
  })
})
