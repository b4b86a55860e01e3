import { flushPromises } from '@vue/test-utils'
import { beforeEach, describe, expect, it } from 'vitest'
import type { ProcessesPage } from '#contract'
import { answerWith, show } from '../../testing/page'
import ProcessTable from './ProcessTable.vue'

const now = Date.UTC(2026, 10, 24, 9)
const page = (more: Partial<ProcessesPage> = {}): ProcessesPage => ({
  from: now - 1000,
  until: now,
  moments: 4,
  took: 4.2,
  processes: [
    { name: 'build', cpu: 0.82, cpuAt: now - 60_000, cpuMean: 0.4, memory: 2e9, memoryAt: now, count: 1, moments: 2 },
    { name: 'web', cpu: 0.1, cpuAt: now, cpuMean: 0.05, memory: 0, memoryAt: now, count: 7, moments: 4 },
  ],
  others: 3,
  ...more,
})
const open = async (answer: unknown, props: Record<string, unknown> = {}) => {
  const asked = answerWith({ 'GET /devices/7/processes': answer })
  const { page: shown } = await show(ProcessTable, {
    deviceId: 7,
    from: now - 1000,
    until: now,
    to: (at: number) => `/at/${at}`,
    ...props,
  })
  await flushPromises()
  return { asked, shown, text: shown.text().replace(/\s+/g, ' ') }
}
beforeEach(() => {
  document.body.innerHTML = ''
})

describe('what ran', () => {
  it('is a row each, with the moment of the most to go to, and what a look costs', async () => {
    const { shown, text } = await open(page())
    const cells = shown.findAll('tbody tr').map((row) => row.findAll('td').map((cell) => cell.text()))
    expect(cells.map(([name, cpu, , mean, memory, , moments]) => [name, cpu, mean, memory, moments])).toEqual([
      ['build', '82 %', '40 %', '2 GB', '2 of 4'],
      ['web × 7', '10 %', '5 %', '', '4 of 4'],
    ])
    expect(shown.get('tbody a').attributes('href')).toBe(`/at/${now - 60_000}`)
    expect(text).toContain('A look costs it 4.2 ms of CPU.')
    expect(text).toContain('3 more stood at the top at some moment.')
  })
  it('of a chosen moment is what was told shortly before and after it', async () => {
    const { asked, text } = await open(page(), { moment: now - 5_000_000 })
    expect(asked.at(-1)!.path).toBe(`/devices/7/processes?from=${now - 5_150_000}&until=${now - 4_850_000}`)
    expect(text).toMatch(/^What ran around /)
  })
  it('says that nothing was told, that nothing ran, and what went wrong', async () => {
    const none = { processes: [], others: 0 }
    expect((await open(page({ ...none, moments: 0, took: null }))).text).toContain('told of no process')
    expect((await open(page(none))).text).toContain('Nothing used more than a trace of it.')
    expect((await open(503)).text).toContain('refused with 503')
  })
})
