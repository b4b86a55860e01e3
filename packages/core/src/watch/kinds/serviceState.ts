import { startsTold, type Service, type ServiceStarts } from '../../estate'
import { ageText, chosen } from '../../text'
import { minute, type Millis } from '../../units'
import { read, type Observation, type Observed, type WatchKind } from '../kind'
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
    adds: true,
    explains:
      'Updaters that stop themselves, for example. It holds for services found later, too. Templates, targets and devices each add to it; !name takes one back.',
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
  {
    name: 'starts',
    type: 'count',
    label: 'Starts too often',
    default: 5,
    optional: true,
    min: 2,
    max: 100,
    explains:
      'A service that ends and is started again may run whenever one looks. So many starts are a fault of their own; jobs that a timer starts do not count. Off: never.',
  },
  {
    name: 'starts.within',
    type: 'duration',
    label: 'Within',
    default: 10 * minute,
    min: minute,
    max: startsTold,
    explains: 'The time in which the starts are counted.',
  },
]

/**
 * Whether it is as it should be, without anybody having named it: null where nothing is known yet. Starts that happen
 * on demand or late are well when they are stopped, unless what starts them has failed; and so is one whose own
 * condition says that it is not needed here. What has failed is a fault however it is started, and so is one that has
 * been starting for too long.
 */
function isWell(service: Service, at: Millis): boolean | null {
  const { start, state } = service
  if (state === 'failed' || (service.brokenTrigger && start !== 'disabled')) return false
  if (start !== 'automatic') return true
  return state === 'starting' ? isStarting(service, at) : state !== 'stopped'
}

/** Nothing is known of what starts, and it is not well when it takes that long. */
function isStarting({ since }: Service, at: Millis): null | false {
  return since !== undefined && at - since >= longestStart ? false : null
}

/** A start that takes longer is stuck: systemd gives up after 90 s unless told otherwise (systemd-system.conf(5)). */
const longestStart: Millis = 15 * minute

function isAsNamed(service: Service, expected: string, at: Millis): boolean | null {
  const { state } = service
  if (state === 'starting') return isStarting(service, at)
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

/** The looks of the time that counts at which a service had been started; null where there were none. */
function startsWithin({ facts, at }: Observed, within: Millis, name: string): ServiceStarts['looks'] | null {
  const looks = facts.starts?.find(({ service }) => service === name)?.looks.filter((look) => look.at > at - within)
  return looks?.length ? looks : null
}

/** Services by the names of those that they cannot do without. */
function needsOf(services: readonly Service[]): Map<string, string[]> {
  const needs = new Map<string, string[]>()
  for (const service of services)
    for (const name of service.neededBy ?? []) needs.set(name, [...(needs.get(name) ?? []), service.name])
  return needs
}

/** Some names and how many more there are. */
function namesText(names: readonly string[]): string {
  const shown = names.slice(0, 3)
  if (names.length > shown.length) return `${shown.join(', ')} and ${names.length - shown.length} more`
  return shown.length < 2 ? shown.join('') : `${shown.slice(0, -1).join(', ')} and ${shown.at(-1)!}`
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
    isService: true,
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
    const often =
      read.optional(values, 'starts') !== null && wrong === 'stopped'
        ? sentence`, or started ${say('starts')} times within ${say('starts.within')}`
        : []
    return sentence`On ${which}${except}, when ${state} for ${say('hold')}${often}, raise ${say('severity')}; clear after ${say('clear.hold')} well.`
  },
  hold: (values) => ({ for: read.number(values, 'hold') }),
  clearHold: (values) => ({ for: read.number(values, 'clear.hold') }),
  gone: (values, { facts }, name) =>
    !chosen(read.list(values, 'names'), read.list(values, 'except'), name) ||
    (facts.services !== undefined && !facts.services.some((service) => service.name === name)),
  observe(values, observed) {
    const { at, facts } = observed
    const severity = read.severity(values, 'severity')!
    const expected = read.text(values, 'which') === 'named' ? read.text(values, 'expected') : null
    const most = expected === 'stopped' ? null : read.optional(values, 'starts')
    const services = facts.services ?? []
    const wanted = services.filter(({ name }) => chosen(read.list(values, 'names'), read.list(values, 'except'), name))
    const judge = (service: Service) => (expected === null ? isWell(service, at) : isAsNamed(service, expected, at))
    const judged = new Map(wanted.map((service) => [service.name, { service, well: judge(service) }]))
    const within = read.number(values, 'starts.within')
    const startsOf = (name: string) => (most === null ? null : startsWithin(observed, within, name))
    const total = (looks: ServiceStarts['looks'] | null) => looks?.reduce((sum, { count }) => sum + count, 0) ?? 0
    let needs: Map<string, string[]> | null = null
    const needed = (name: string) => (needs ??= needsOf(services)).get(name) ?? []
    const wrong = (name: string) => judged.get(name)?.well === false
    /** Whether something that it needs is a fault by itself: in a ring of stopped services, none is. */
    const isCarried = (name: string, asked = new Set([name])): boolean =>
      needed(name).some((other) => {
        if (!wrong(other) || asked.has(other)) return false
        asked.add(other)
        return judged.get(other)!.service.state !== 'stopped' || !needed(other).some(wrong) || isCarried(other, asked)
      })
    return wanted.map((service): Observation => {
      const { name } = service
      const { well } = judged.get(name)!
      const looks = startsOf(name)
      const isLooping = looks !== null && total(looks) >= most!
      // It stopped with what it needs, which is told of: that is one cause, and one alert.
      const isCarriedHere = well === false && service.state === 'stopped' && isCarried(name)
      const isFailing = isLooping || (well === false && !isCarriedHere)
      return {
        instance: name,
        failing: isFailing ? [severity] : [],
        well: well === true && !isLooping,
        evidence: () => ({ text: textOf(service, well === false, isCarriedHere), subject: name }),
        ...(isLooping ? { since: looks[0]!.at, lasted: true } : {}),
      }
    })

    function textOf(service: Service, isWrong: boolean, isCarriedHere: boolean): string {
      const { name, state, brokenTrigger, neededBy = [] } = service
      const looks = startsOf(name)
      const often =
        looks && total(looks) >= most!
          ? `was started ${total(looks)} times in ${ageText(Math.max(minute, at - looks[0]!.at))}`
          : null
      const parts = [`${name} ${!isWrong && often ? often : stateWords[state]}`]
      if (isWrong && often) parts.push(often)
      if (!isWrong) return parts.join('; ')
      if (brokenTrigger) parts.push(`${brokenTrigger}, which starts it, has failed`)
      const missing = needed(name).filter((other) => services.some((known) => known.name === other && isDown(known)))
      if (missing.length) parts.push(`it needs ${namesText(missing)}${isCarriedHere ? ', and is told with it' : ''}`)
      const stopped = neededBy.filter(wrong)
      const others = neededBy.filter((other) => !stopped.includes(other))
      if (stopped.length) parts.push(`${namesText(stopped)} stopped with it`)
      if (others.length) parts.push(`needed by ${namesText(others)}`)
      return parts.join('; ')
    }
  },
}

const isDown = ({ state }: Service) => state === 'stopped' || state === 'failed'
