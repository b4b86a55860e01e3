import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { AlertView, DevicePage, RosterWatch } from '#contract'
import { watchKind, type RunningProgram } from '#core'
import { answerWith, show } from '../../../testing/page'
import DeviceProcesses from './DeviceProcesses.vue'
import { choiceFor, valuesFor, watchProcess } from './watchProcess'

enableAutoUnmount(afterEach)
afterEach(() => vi.unstubAllGlobals())

const programs: RunningProgram[] = [
  { name: 'java', path: '/usr/bin/java', arguments: '/usr/bin/java -jar shop.jar --password=***', user: 'app' },
  { name: 'java', path: '/usr/bin/java', arguments: '/usr/bin/java -jar search.jar', user: 'app' },
  { name: 'nginx', path: '/usr/sbin/nginx', arguments: 'nginx: master process', user: 'root' },
]
const device = {
  id: 4,
  name: 'tm-gate-1',
  clientName: 'Tidemark',
  zone: 'UTC',
  failing: [],
  silent: false,
  factTimes: {},
  facts: { programs },
  latest: {
    readings: [
      ['process.count', 'nginx', 3],
      ['process.cpu', 'nginx', 1.25],
      ['process.memory', 'nginx', 64e6],
    ],
  },
} as unknown as DevicePage
const watch = (key: string, values: object) =>
  ({
    key,
    kind: 'process',
    name: `Watch of ${key}`,
    standing: 'active',
    values: {
      ...Object.fromEntries(watchKind('process').parameters.map(({ name, default: value }) => [name, value])),
      ...values,
    },
  }) as unknown as RosterWatch
const roster = [watch('web', { name: 'nginx' }), watch('gone', { name: 'backupd' })]
const alert = { watch: 'gone', status: 'open', severity: 'critical', rule: {} } as unknown as AlertView

describe('processes of a device', () => {
  const opened = async (more: Partial<DevicePage> = {}) => {
    answerWith({ 'GET /devices/4/roster': roster, 'GET /policy': { templates: [] } })
    const { page } = await show(DeviceProcesses, { device: { ...device, ...more }, alerts: [alert] })
    await flushPromises()
    return page
  }
  it('those that are watched, as they are now; what is not told is no zero', async () => {
    const page = await opened()
    const rows = page
      .findAll('[aria-label="Processes that are watched"] tbody tr')
      .map((row) => row.text().replace(/\s+/g, ' '))
    expect(rows[0]).toMatch(/backupd ?not told/)
    expect(rows[1]).toMatch(/nginx ?3 ?125 % ?64 MB/)
  })
  it('what runs, with what watches it; narrowed by words of its command line', async () => {
    const page = await opened()
    const rows = () => page.findAll('[aria-label="What runs"] tbody tr').map((row) => row.text())
    expect(rows()).toHaveLength(3)
    expect(rows().find((row) => row.startsWith('nginx'))).toContain('Watch of web')
    await page.get('input[aria-label="Narrow by words"]').setValue('SHOP')
    expect(rows()).toEqual([expect.stringContaining('shop.jar')])
  })
  it('an agent that does not tell says so', async () => {
    const page = await opened({ facts: {} })
    expect(page.text()).toContain('was not told yet')
  })
})

describe('a watch of what was picked', () => {
  it('goes by the name, and by the command line where several have the name; a secret is any text', () => {
    expect(choiceFor(programs[2]!, programs)).toMatchObject({ name: 'nginx', arguments: '' })
    expect(choiceFor(programs[0]!, programs)).toMatchObject({
      name: 'java',
      arguments: '/usr/bin/java -jar shop.jar --password=***',
    })
    const long = { name: 'java', arguments: `java ${'x'.repeat(200)} end` }
    const choice = choiceFor(long, [...programs, long])
    expect(choice.arguments).toHaveLength(100)
    expect(choice.arguments).toMatch(/^\*x+ end$/)
  })
  it('goes into a template behind its watches, or into one of the device’s own', () => {
    const values = valuesFor({ name: 'nginx', path: '', arguments: '', user: '' })
    const template = { id: 7, revision: 2, name: 'T', description: '', includes: [], watches: [] }
    const [into] = watchProcess(device, { ...values, cpu: 0.5 }, template)
    expect(into).toMatchObject({ of: 'template', id: 7, basedOn: 2 })
    expect((into as unknown as { to: { watches: unknown[] } }).to.watches).toEqual([
      expect.objectContaining({
        key: 'process.nginx',
        kind: 'process',
        name: 'nginx',
        values: { name: 'nginx', cpu: 0.5 },
      }),
    ])
    const own = watchProcess(device, values, null)
    expect(own.map(({ of }) => of)).toEqual(['template', 'assignment'])
    expect(JSON.stringify(own)).toContain('"deviceIds":[4]')
  })
})
