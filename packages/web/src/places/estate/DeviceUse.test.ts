import { enableAutoUnmount } from '@vue/test-utils'
import { afterEach, describe, expect, it } from 'vitest'
import type { AlertView, DevicePage } from '#contract'
import { show } from '../../testing/page'
import DeviceUse from './DeviceUse.vue'

enableAutoUnmount(afterEach)

const device = {
  id: 4,
  failing: [],
  silent: false,
  zone: 'UTC',
  factTimes: {},
  facts: {
    blocks: ['sda', 'sdb'],
    links: [{ name: 'eth0', speed: 1e9 }, { name: 'ens9' }],
    sensors: [{ name: 'coretemp', critical: 100 }],
  },
  latest: {
    readings: [
      ['io.busy', 'sda', 0.31],
      ['io.latency', 'sda', 12.4],
      ['io.read', 'sda', 2e6],
      ['io.written', 'sda', 0],
      ['net.load', 'eth0', 0.72],
      ['net.received', 'eth0', 9e7],
      ['net.sent', 'eth0', 1e6],
      ['net.received', 'ens9', 5e6],
      ['temperature', 'coretemp', 61.5],
    ],
  },
} as unknown as DevicePage
const alert = {
  instance: 'sda',
  status: 'open',
  severity: 'critical',
  rule: { kind: 'drive-latency' },
} as unknown as AlertView

describe('the use of drives and links', () => {
  it('as told last; a drive that was not read yet is left out, a speed that is not told is said', async () => {
    const { page } = await show(DeviceUse, { device, alerts: [alert] })
    const texts = page
      .findAll('p')
      .map((line) => line.findAll('a.mono, a.mono + span, span.muted').map((part) => part.text()))
    expect(texts.map((parts) => parts.join(' '))).toEqual([
      'sda 31 % busy, 12.4 ms, 2 MB/s read, 0 B/s written',
      'eth0 72 % of 1 Gbit/s, 90 MB/s in, 1 MB/s out',
      'ens9 5 MB/s in its speed is not told',
      'coretemp 61.5 °C dangerous from 100 °C',
    ])
    const [drive, link] = page.findAll('p')
    expect(drive!.find('svg').exists()).toBe(true)
    expect(link!.find('svg').exists()).toBe(false)
  })
  it('says nothing where nothing is told', async () => {
    const { page } = await show(DeviceUse, { device: { ...device, facts: {} }, alerts: [] })
    expect(page.text()).toBe('')
  })
})
