import { bytesText } from '../../../text'
import { minute } from '../../../units'
import { gauge, type Parts } from './gauge'

/** As links are sold: 1 Gbit/s. */
export function bitRateText(bits: number): string {
  return `${bytesText(bits).replace(/B$/, '').trim()}bit/s`
}

export const interfaces: Parts = {
  name: 'interfaces',
  label: 'Interfaces',
  one: 'interface',
  many: 'interfaces',
  of: ({ links }) =>
    links?.map(({ name, speed }) => ({
      name,
      title: speed === undefined ? 'its speed is not told' : bitRateText(speed),
    })),
}
const common = { parts: interfaces, collector: 'network', bad: 'above' } as const

export const linkLoad = gauge({
  ...common,
  name: 'link-load',
  title: 'Link load',
  metric: 'net.load',
  words: 'the load',
  type: 'percent',
  levels: { warning: 0.7, critical: 0.9 },
  clear: 0.6,
  hold: 15 * minute,
  explains:
    'Of its speed, the direction that carries more. 70 and 90 % are common practice, no source. Interfaces of virtual machines often do not tell their speed: watch their traffic.',
  also(_, { links }, name) {
    const speed = links?.find((link) => link.name === name)?.speed
    return speed === undefined ? '' : ` of ${bitRateText(speed)}`
  },
})

export const linkTraffic = gauge({
  ...common,
  name: 'link-traffic',
  title: 'Link traffic',
  metric: 'net.received',
  or: 'net.sent',
  words: 'the traffic',
  type: 'bytes',
  unitWords: ' a second',
  levels: { warning: 100e6 },
  clear: 80e6,
  hold: 15 * minute,
  explains: 'The direction that carries more. 100 MB a second is most of what a link of 1 Gbit/s carries.',
})
