import { flushPromises } from '@vue/test-utils'
import { beforeEach, describe, expect, it } from 'vitest'
import type { Archives, ArchiveServer } from '#contract'
import { answerWith, choose, giveRoom, show } from '../../testing/page'
import ArchiveServers from './ArchiveServers.vue'

const server = (more: Partial<ArchiveServer>): ArchiveServer => ({
  name: 'old_readings',
  address: '192.0.2.8:5432',
  fault: null,
  bytes: 0,
  from: null,
  until: null,
  ...more,
})
const nothing: Archives = { servers: [], target: { server: null, afterDays: 62 } }
const two: Archives = {
  servers: [
    server({ bytes: 41e9, from: Date.UTC(2025, 0, 1), until: Date.UTC(2026, 0, 1) }),
    server({ name: 'second', fault: 'could not establish connection', bytes: null }),
  ],
  target: { server: 'old_readings', afterDays: 90 },
}
beforeEach(giveRoom)

describe('other database servers', () => {
  it('are told with what lies there, and which does not answer', async () => {
    answerWith({ 'GET /archives': two })
    const { page } = await show(ArchiveServers)
    expect(page.text()).toContain('go to old_readings once their month, or year, has been over for 90 days')
    const rows = page.findAll('.el-table__body tr, [role=row]').map((row) => row.text())
    expect(rows.join('\n')).toMatch(/old_readings.*answers.*1 Jan 2025 to 31 Dec 2025.*41(\.0)? GB/)
    expect(rows.join('\n')).toMatch(/second.*does not answer: could not establish connection.*nothing yet/)
  })
  it('are chosen in a sentence; a refusal keeps what was chosen', async () => {
    const answers: Record<string, unknown> = { 'GET /archives': two, 'PUT /archives': 400 }
    const asked = answerWith(answers)
    const { page } = await show(ArchiveServers)
    await page.get('button.link').trigger('click')
    await choose(page, 'Server', 'second')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(page.find('form').exists()).toBe(true)
    answers['PUT /archives'] = { ...two, target: { server: 'second', afterDays: 90 } }
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(asked.at(-1)).toMatchObject({ method: 'PUT', body: { server: 'second', afterDays: 90 } })
    expect(page.find('form').exists()).toBe(false)
    expect(page.text()).toContain('go to second')
  })
  it('are none at first, which says where to read how one is added', async () => {
    answerWith({ 'GET /archives': nothing })
    const { page } = await show(ArchiveServers)
    expect(page.text()).toContain('knows no other server')
    expect(page.find('button').exists()).toBe(false)
  })
})
