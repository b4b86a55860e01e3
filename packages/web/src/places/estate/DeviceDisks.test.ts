import { describe, expect, it } from 'vitest'
import type { AlertView, DevicePage } from '#contract'
import { day, gigabyte, type Disk, type Drive } from '#core'
import { show } from '../../testing/page'
import DeviceDisks from './DeviceDisks.vue'

const disk = (mount: string, more: Partial<Disk> = {}): Disk => ({
  mount,
  device: `/dev/${mount}`,
  fileSystem: 'ext4',
  removable: false,
  size: 100 * gigabyte,
  ...more,
})
const device = (more: Partial<DevicePage>): DevicePage =>
  ({
    heardAt: 1,
    readAt: 1,
    silent: false,
    failing: [],
    zone: 'UTC',
    disks: [],
    fills: [],
    facts: {},
    latest: null,
    ...more,
  }) as unknown as DevicePage
async function textOf(of: DevicePage, alerts: readonly AlertView[] = []): Promise<string> {
  const { page } = await show(DeviceDisks, { device: of, alerts })
  return page.text().replace(/\s+/g, ' ')
}

describe('the disks of a device', () => {
  const room = { mount: '/srv', size: 100 * gigabyte, free: 8 * gigabyte, severity: null }
  const facts = (more: Partial<Disk> = {}) => ({ disks: [disk('/srv', more)] })
  const fill = { mount: '/srv', soonest: 6 * day, likely: 7 * day, latest: 9 * day, perDay: -gigabyte }

  it('are told with what is free, and when they will be full', async () => {
    const text = await textOf(device({ disks: [room], facts: facts(), fills: [{ ...fill, clearedEvery: null }] }))
    expect(text).toContain('8 %, 8 GB free of 100 GB')
    expect(text).toContain('full in 6–9 days, 1 GB less each day')
    expect(text).not.toContain('cleared up')
    const habit = { ...fill, latest: null, clearedEvery: 7 * day }
    expect(await textOf(device({ disks: [room], facts: facts(), fills: [habit] }))).toContain(
      'full in 6 to more than 400 days, 1 GB less each day; cleared up every 7 days',
    )
  })
  it.each<[string, Partial<Disk>, string]>([
    ['read-only after an error', { readOnly: 'fault' }, 'read-only after an error'],
    ['a share', { remote: true, device: 'files:/team' }, 'share files:/team'],
    ['removable', { removable: true }, 'removable'],
  ])('are said to be so: %s', async (_, more, expected) => {
    expect(await textOf(device({ disks: [room], facts: facts(more) }))).toContain(expected)
  })
  it('tell their inodes where few are left, and what cannot be read', async () => {
    const latest = { at: 1, readings: [['disk.inodes.free', '/srv', 0.03]] as [string, string, number][] }
    expect(await textOf(device({ disks: [room], facts: facts({ inodes: 25_600 }), latest }))).toContain(
      '3 % of 25,600 inodes free',
    )
    expect(await textOf(device({ facts: facts({ trouble: '/srv does not answer' }) }))).toContain(
      'cannot be read: /srv does not answer',
    )
  })
})

describe('its drives', () => {
  const drive = (more: Partial<Drive>): Drive => ({ name: 'sda', model: 'LF2000', media: 'hdd', passed: true, ...more })
  const text = (more: Partial<Drive>) => textOf(device({ facts: { drives: { drives: [drive(more)], arrays: [] } } }))

  it.each<[Partial<Drive>, string]>([
    [{}, 'says that it is wellLF2000'],
    [{ pending: 3 }, 'has 3 sectors that it may not read againLF2000'],
    [{ passed: null, trouble: 'smartmontools is not installed' }, 'cannot be asked: smartmontools is not installed'],
  ])('say how they are: %j', async (more, expected) => {
    expect(await text(more)).toContain(expected)
  })
})
