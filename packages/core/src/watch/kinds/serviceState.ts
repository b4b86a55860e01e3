import type { Service } from '../../estate'
import { chosen } from '../../text'
import { minute } from '../../units'
import { read, type Observation, type WatchKind } from '../kind'
import type { Parameter } from '../parameter'
import { sayer, sentence } from '../sentence'

const parameters: readonly Parameter[] = [
  {
    name: 'which',
    type: 'choice',
    label: 'Services',
    choices: ['that should be running', 'named'],
    default: 'that should be running',
    explains: 'Those that start by themselves at boot and stay; or those named, whatever their start.',
  },
  {
    name: 'names',
    type: 'patterns',
    label: 'Names',
    default: ['*'],
    explains: 'Service names, with * for any run of characters.',
  },
  {
    name: 'except',
    type: 'patterns',
    label: 'Services left out',
    default: [],
    explains: 'Updaters that stop themselves, for example. An exclusion holds for services found later too.',
  },
  {
    name: 'expected',
    type: 'choice',
    label: 'Expected',
    choices: ['running', 'stopped'],
    default: 'running',
    explains: 'Some services should not run.',
  },
  {
    name: 'severity',
    type: 'choice',
    label: 'Severity',
    choices: ['notice', 'warning', 'critical'],
    default: 'critical',
    explains: 'A server does its work through its services.',
  },
  {
    name: 'hold',
    type: 'duration',
    label: 'Hold',
    default: minute,
    max: 86_400_000,
    explains: 'A restart passes within it. 60 s is common practice, no source.',
  },
  {
    name: 'clear.hold',
    type: 'duration',
    label: 'Clear after',
    default: minute,
    max: 86_400_000,
    explains: 'How long it must be as expected again; a service that flaps stays one alert.',
  },
]

/**
 * Whether it is as it should be, without anybody having named it: null where nothing is known yet. Starts that happen
 * on demand or late are well when they are stopped, and so is one whose own condition says that it is not needed here.
 * What has failed is a fault however it is started.
 */
function isWell({ start, state }: Service): boolean | null {
  if (state === 'failed') return false
  if (start !== 'automatic') return true
  return state === 'starting' ? null : state !== 'stopped'
}

function isAsNamed({ state }: Service, expected: string): boolean | null {
  if (state === 'starting') return null
  return (state === 'running' || state === 'finished') === (expected === 'running')
}

const stateWords: Record<Service['state'], string> = {
  running: 'is running',
  stopped: 'is stopped',
  failed: 'has failed',
  finished: 'has finished',
  starting: 'is starting',
  skipped: 'is not needed here, by its own condition',
}

export const serviceState: WatchKind = {
  name: 'service-state',
  title: 'Service state',
  subject: 'service',
  collector: 'services',
  about: ['which', 'expected'],
  choosing: {
    include: 'names',
    except: 'except',
    of: (facts) => (facts.services ?? []).map((service) => ({ name: service.name, title: service.title })),
  },
  parameters,
  acts: (values, instance) => ({
    verb: read.text(values, 'which') === 'named' && read.text(values, 'expected') === 'stopped' ? 'stop' : 'start',
    service: instance,
  }),
  sentence(values) {
    const say = sayer(parameters, values)
    const all = read.text(values, 'which') === 'that should be running'
    const names = read.list(values, 'names')
    const isEvery = names.length === 1 && names[0] === '*'
    const among = () =>
      isEvery
        ? sentence`${say('which', 'every service that should be running')}`
        : sentence`those of ${say('names')} ${say('which')}`
    const which = all ? among() : sentence`the ${say('which', 'service')} ${say('names')}`
    const except = read.list(values, 'except').length ? sentence` except ${say('except')}` : []
    const wrong = all || read.text(values, 'expected') === 'running' ? 'stopped' : 'running'
    const state = all ? sentence`stopped or failed` : [say('expected', wrong)]
    return sentence`On ${which}${except}, when ${state} for ${say('hold')}, raise ${say('severity')}; clear after ${say('clear.hold')} well.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: (values) => ({ for: read.number(values, 'clear.hold') }),
  gone: (values, { facts }, name) =>
    !chosen(read.list(values, 'names'), read.list(values, 'except'), name) ||
    (facts.services !== undefined && !facts.services.some((service) => service.name === name)),
  observe(values, { facts }) {
    const severity = read.severity(values, 'severity')!
    const named = read.text(values, 'which') === 'named'
    const observations: Observation[] = []
    for (const service of facts.services ?? []) {
      if (!chosen(read.list(values, 'names'), read.list(values, 'except'), service.name)) continue
      const well = named ? isAsNamed(service, read.text(values, 'expected')) : isWell(service)
      observations.push({
        instance: service.name,
        failing: well === false ? [severity] : [],
        well: well === true,
        evidence: () => ({ text: `${service.name} ${stateWords[service.state]}`, subject: service.name }),
      })
    }
    return observations
  },
}
