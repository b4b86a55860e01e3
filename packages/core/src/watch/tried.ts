import { rounded, type MetricName, type Samples } from '../series'
import type { Millis } from '../units'
import { usualKey, type Usual } from '../usual'
import { evaluate, type DeviceState } from './evaluate'
import { unusualKindOf } from './kinds'
import type { Values } from './parameter'

/** From when it would have been told until it would have cleared; Infinity: it had not by the end. */
export interface ToldUnusual {
  from: Millis
  until: Millis
}

/**
 * What a watch for the unusual would have told of a series, reading by reading, as the server judges it.
 * @param values parameters that are not as usual
 * @param usualAt what was known at a moment; asked for at each reading, with what has been told until then
 * @returns ascending; empty for a metric that no kind judges so
 */
export function triedUnusual(
  { metric, instance, samples }: { metric: MetricName; instance: string; samples: Samples },
  { values, interval, zone }: { values: Values; interval: Millis; zone: string },
  usualAt: (at: Millis, told: readonly ToldUnusual[]) => Usual | null,
): ToldUnusual[] {
  const kind = unusualKindOf(metric)
  if (!kind) return []
  const ordinary = Object.fromEntries(kind.parameters.map(({ name, default: value }) => [name, value]))
  const watch = { key: 'tried', kind: kind.name, standing: 'active', values: { ...ordinary, ...values } } as const
  const told: ToldUnusual[] = []
  let state: DeviceState = new Map()
  samples.at.forEach((at, i) => {
    const usual = usualAt(at, told)
    const found = evaluate(state, [watch], {
      at,
      interval,
      heardAt: at,
      readings: [[metric, instance, rounded(metric, samples.value[i]!)]],
      facts: {},
      events: [],
      failed: [],
      zone,
      usual: new Map(usual ? [[usualKey(metric, instance), usual]] : []),
    })
    state = found.state
    for (const { kind: became } of found.transitions) {
      if (became === 'raised') told.push({ from: at, until: Infinity })
      else if (became === 'cleared') told.at(-1)!.until = at
    }
  })
  return told
}
