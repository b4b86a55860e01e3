import { writeFileSync } from 'node:fs'
import { day, durationText, learnUsual, leastDistance, minute } from '#core'
import {
  demandSeries,
  faults,
  hoursOfSeries,
  judged,
  madeSeries,
  outcomeOf,
  planted,
  zoneOfMade,
  type MadeSeries,
  type Outcome,
} from '../packages/core/src/testing/usual'

const say = (text: string) => process.stdout.write(`${text}\n`)
const seeds = [1, 2, 3]
const sensitivities = ['low', 'medium', 'high'] as const
const real = demandSeries()
const series: readonly [MadeSeries, string][] = [
  ...madeSeries.map((each): [MadeSeries, string] => [each, zoneOfMade]),
  [real, 'Europe/London'],
]

const share = ({ found, planted: all }: Pick<Outcome, 'found' | 'planted'>) =>
  `${String(found).padStart(3)} of ${String(all).padEnd(3)}`
const results: object[] = []
say('What is told of what is unusual, on made series and a real one; seven weeks each, learned anew each day.\n')
for (const sensitivity of sensitivities) {
  say(`${sensitivity} sensitivity`)
  let [alarms, weeks] = [0, 0]
  const found = new Map(faults.map(({ name }) => [name, { found: 0, planted: 0, delays: [] as number[] }]))
  for (const [each, zone] of series) {
    const values = { sensitivity }
    const plain = outcomeOf(each, judged(each, zone, values), [])
    alarms += plain.falseAlarms
    weeks += plain.weeks
    const own = { found: 0, planted: 0 }
    for (const fault of faults)
      for (const seed of seeds) {
        const wild = planted(each, fault, seed)
        const outcome = outcomeOf(each, judged(wild.series, zone, values), wild.faults)
        const into = found.get(fault.name)!
        for (const to of [own, into]) {
          to.found += outcome.found
          to.planted += outcome.planted
        }
        if (outcome.delay !== null) into.delays.push(outcome.delay)
      }
    const rate = plain.falseAlarms / plain.weeks
    say(`  ${each.name.padEnd(56)} found ${share(own)}  false ${rate.toFixed(2)} a week`)
    results.push({ sensitivity, series: each.name, ...own, falsePerWeek: rate })
  }
  for (const [name, { delays, ...rates }] of found) {
    const middle = delays.sort((a, b) => a - b)[Math.floor(delays.length / 2)]
    const after = middle === undefined ? '' : `, after ${durationText(Math.round(middle / minute) * minute)}`
    say(`  ${name.padEnd(56)} found ${share(rates)}${after}`)
    results.push({ sensitivity, fault: name, ...rates, delay: middle ?? null })
  }
  say(`  all series: ${(alarms / weeks).toFixed(2)} false a week and series\n`)
}

const hours = hoursOfSeries(madeSeries[0]!).slice(0, 42 * 24)
const began = performance.now()
const often = 50
for (let i = 0; i < often; i++) learnUsual(hours, zoneOfMade, { least: leastDistance('cpu.busy') })
const took = (performance.now() - began) / often
say(
  `learned of six weeks in ${took.toFixed(1)} ms: ${Math.round((took * 10_000) / (day / 100_000))} parts in 100,000 of a day for a series of each of 10,000 devices`,
)
results.push({ learnMs: took })
const file = process.argv[process.argv.indexOf('--json') + 1]
if (process.argv.includes('--json') && file) writeFileSync(file, JSON.stringify(results, null, 2))
