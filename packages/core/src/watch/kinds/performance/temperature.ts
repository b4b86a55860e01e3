import { minute } from '../../../units'
import { gauge } from './gauge'

export const temperature = gauge({
  name: 'temperature',
  title: 'Temperature',
  metric: 'temperature',
  words: 'the temperature',
  parts: {
    name: 'sensors',
    label: 'Sensors',
    one: 'sensor',
    many: 'sensors',
    of: ({ sensors }) =>
      sensors?.map(({ name, critical }) => ({
        name,
        title: critical === undefined ? '' : `dangerous from ${critical} °C by its own word`,
      })),
  },
  type: 'number',
  unitWords: ' °C',
  bad: 'above',
  levels: { warning: 85, critical: 95 },
  clear: 75,
  hold: 10 * minute,
  explains:
    'The hottest place that a chip tells of. Processors slow themselves down from about 100 °C on (from memory); 85 and 95 °C are chosen, no source. Virtual machines have none.',
  also(_, { sensors }, name) {
    const critical = sensors?.find((sensor) => sensor.name === name)?.critical
    return critical === undefined ? '' : `; dangerous from ${critical} °C by its own word`
  },
})
