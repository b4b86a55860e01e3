import fc from 'fast-check'
import { expect, test } from 'vitest'
import { day, hour, minute } from '../units'
import { withinHours, readHours } from '../watch'
import { planCallout, type CalloutStep } from './plan'
import { usualCallout, type CalloutRule } from './rule'
import type { AlertStory, Quiet, StoryEvent } from './story'

/**
 * The sentence of the trade: at once, again every 30 min, the lead after 40 min, untouched 24 h; common practice, no
 * source.
 */
const rule: CalloutRule = {
  about: 'alerts',
  clientId: null,
  target: { on: 'everyone' },
  severities: ['critical'],
  families: null,
  causes: null,
  hours: '',
  outside: 'later',
  tell: [{ to: 'team', id: 1 }],
  after: 0,
  again: usualCallout.again,
  escalate: { after: usualCallout.escalateAfter, tell: [{ to: 'leads' }] },
  remindAfter: usualCallout.remindAfter,
  sayWell: true,
}
/** A Monday, 06:00 in Lisbon (WET, UTC+0). */
const monday = Date.UTC(2026, 10, 23, 6)
const story = (events: StoryEvent[] = [], more: Partial<AlertStory> = {}): AlertStory => ({
  zone: 'Europe/Lisbon',
  raisedAt: monday,
  severity: 'critical',
  events,
  quiet: [],
  ...more,
})
const at = (minutes: number) => monday + minutes * minute
/** Steps as minutes after the alert. */
const said = (steps: readonly CalloutStep[]) => steps.map((step) => `${step.step} ${(step.at - monday) / minute}`)
const plan = (told: AlertStory, until: number, terms = rule) => said(planCallout(terms, told, at(until)).steps)

test('what nobody takes is told at once, again every half hour, and to the lead after forty minutes', () => {
  expect(plan(story(), 95)).toEqual(['tell 0', 'again 30', 'escalate 40', 'again 60', 'again 90'])
  expect(planCallout(rule, story(), at(95)).next).toBe(at(120))
})

test('who takes it ends that; who has it and does nothing for a day is reminded, and again a day later', () => {
  const taken = story([{ at: at(35), is: 'taken', by: 7 }])
  expect(plan(taken, 3 * 1440)).toEqual(['tell 0', 'again 30', 'untouched 1475', 'untouched 2915'])
  expect(planCallout(rule, taken, at(1475)).steps.at(-1)).toMatchObject({ holder: 7 })
})

test('whatever they do with it begins the day anew; a promise keeps it quiet until then', () => {
  const touched = story([
    { at: at(5), is: 'taken', by: 7 },
    { at: at(600), is: 'touched' },
  ])
  expect(plan(touched, 2100)).toEqual(['tell 0', 'untouched 2040'])
  const promised = story([
    { at: at(5), is: 'taken', by: 7 },
    { at: at(600), is: 'promised', until: at(5000) },
  ])
  expect(plan(promised, 5100)).toEqual(['tell 0', 'untouched 5000'])
})

test('given back, its clocks begin anew', () => {
  const given = story([
    { at: at(10), is: 'taken', by: 7 },
    { at: at(100), is: 'given-back' },
  ])
  expect(plan(given, 145)).toEqual(['tell 0', 'again 130', 'escalate 140'])
})

test('taken before anybody was to be told, nobody is', () => {
  expect(plan(story([{ at: at(5), is: 'taken', by: 7 }]), 60, { ...rule, after: 10 * minute })).toEqual([])
  expect(plan(story([{ at: at(0), is: 'taken', by: 7 }]), 60)).toEqual([])
})

test('well again is said to whoever was told, and to nobody else', () => {
  expect(plan(story([{ at: at(12), is: 'closed', isWell: true }]), 60)).toEqual(['tell 0', 'well 12'])
  expect(plan(story([{ at: at(12), is: 'closed', isWell: false }]), 60)).toEqual(['tell 0'])
  expect(plan(story([{ at: at(12), is: 'closed', isWell: true }]), 60, { ...rule, after: hour })).toEqual([])
})

test('failing again after that, it is told again', () => {
  const back = story([
    { at: at(12), is: 'closed', isWell: true },
    { at: at(20), is: 'reopened', keepsHolder: false },
  ])
  expect(plan(back, 55)).toEqual(['tell 0', 'well 12', 'tell 20', 'again 50'])
})

test('worse is said at once; what is less than the rule is about is not followed', () => {
  const both: CalloutRule = { ...rule, severities: ['warning', 'critical'] }
  const rising = story([{ at: at(10), is: 'severity', severity: 'critical' }], { severity: 'warning' })
  expect(plan(rising, 35, both)).toEqual(['tell 0', 'worse 10', 'again 30'])
  expect(plan(rising, 35)).toEqual(['tell 10'])
  const falling = story([{ at: at(10), is: 'severity', severity: 'warning' }])
  expect(plan(falling, 100)).toEqual(['tell 0'])
})

const quiet = (from: number, until: number | null, because: Quiet['because'] = 'window'): Quiet => ({
  because,
  from: at(from),
  until: until === null ? null : at(until),
})

test('under maintenance clocks stand still, and what comes after it says that it was so', () => {
  const held = story([], { quiet: [quiet(20, 80)] })
  expect(plan(held, 130)).toEqual(['tell 0', 'again 90', 'escalate 100', 'again 120'])
  expect(planCallout(rule, held, at(95)).steps.at(-1)!.after).toEqual([quiet(20, 80)])
  expect(planCallout(rule, held, at(125)).steps.at(-1)!.after).toEqual([])
})

test('raised and over within maintenance, nobody hears of it; still there at its end, it is told then', () => {
  const window = { quiet: [quiet(-60, 30)] }
  expect(plan(story([{ at: at(20), is: 'closed', isWell: true }], window), 90)).toEqual([])
  expect(plan(story([], window), 40)).toEqual(['tell 30'])
  expect(planCallout(rule, story([], window), at(5)).next).toBe(at(30))
})

test('told before maintenance and well within it, that is said at its end', () => {
  const told = story([{ at: at(40), is: 'closed', isWell: true }], { quiet: [quiet(10, 60)] })
  expect(plan(told, 90)).toEqual(['tell 0', 'well 60'])
})

test('for as long as nobody knows when it ends there is nothing to wait for', () => {
  expect(planCallout(rule, story([], { quiet: [quiet(0, null)] }), at(500))).toEqual({ steps: [], next: null })
})

const office: CalloutRule = { ...rule, hours: usualCallout.hours, escalate: null }

test('outside of its hours a rule waits for them, or says nothing at all', () => {
  // Raised at 06:00; the day begins at 08:00.
  expect(plan(story(), 160, office)).toEqual(['tell 120', 'again 150'])
  expect(plan(story(), 3000, { ...office, outside: 'never' })).toEqual([])
  expect(planCallout(office, story(), monday).next).toBe(at(120))
})

test('reminders stop in the evening and go on in the morning', () => {
  // Raised on Friday at 19:50.
  const friday = Date.UTC(2026, 10, 27, 19, 50)
  const { steps } = planCallout(office, story([], { raisedAt: friday }), friday + 4 * day)
  expect(steps.slice(0, 3).map((step) => new Date(step.at).toISOString())).toEqual([
    '2026-11-27T19:50:00.000Z',
    '2026-11-30T08:20:00.000Z',
    '2026-11-30T08:50:00.000Z',
  ])
})

test('hours follow the clocks of the site when they change', () => {
  // Clocks in Lisbon go back on 25 October 2026 (directive 2000/84/EC): 08:00 is 07:00 UTC before and 08:00 UTC after.
  const saturday = Date.UTC(2026, 9, 24, 22)
  const every: CalloutRule = { ...office, hours: '08:00-20:00', again: null }
  const raised = story([], { raisedAt: saturday })
  expect(planCallout(every, raised, saturday + day).steps[0]!.at).toBe(Date.UTC(2026, 9, 25, 8))
  const before = story([], { raisedAt: saturday - day })
  expect(planCallout(every, before, saturday).steps[0]!.at).toBe(Date.UTC(2026, 9, 24, 7))
})

test('reminding ends some time', () => {
  const { steps, next } = planCallout(rule, story(), at(60 * 24 * 60))
  expect(steps.filter(({ step }) => step === 'again')).toHaveLength(100)
  expect(next).toBeNull()
})

/** Any story: events in order, quiet times anywhere. */
const events = fc
  .array(
    fc.record({
      minutes: fc.integer({ min: 0, max: 4000 }),
      is: fc.constantFrom('taken', 'given-back', 'touched', 'closed', 'reopened', 'worse', 'better'),
    }),
    { maxLength: 12 },
  )
  .map((list): StoryEvent[] =>
    list
      .toSorted((a, b) => a.minutes - b.minutes)
      .map(({ minutes, is }): StoryEvent => {
        if (is === 'taken') return { at: at(minutes), is, by: 7 }
        if (is === 'closed') return { at: at(minutes), is, isWell: true }
        if (is === 'reopened') return { at: at(minutes), is, keepsHolder: false }
        if (is === 'worse') return { at: at(minutes), is: 'severity', severity: 'critical' }
        if (is === 'better') return { at: at(minutes), is: 'severity', severity: 'notice' }
        return { at: at(minutes), is: is as 'given-back' | 'touched' }
      }),
  )
const quiets = fc.array(
  fc
    .tuple(fc.integer({ min: -100, max: 4000 }), fc.integer({ min: 1, max: 900 }), fc.boolean())
    .map(([from, length, ends]) => quiet(from, ends ? from + length : null)),
  { maxLength: 3 },
)
const terms = fc.record({
  hours: fc.constantFrom('', 'Mon–Fri 08:00–20:00', '22:00–06:00'),
  outside: fc.constantFrom('later' as const, 'never' as const),
  after: fc.constantFrom(0, 10 * minute),
  again: fc.constantFrom(null, 30 * minute, 7 * minute),
})

/** What became of an alert by a time, told by its events alone. */
function standing(list: readonly StoryEvent[], when: number) {
  let open = true
  let taken = false
  for (const event of list.filter((candidate) => candidate.at <= when)) {
    if (event.is === 'closed') open = false
    if (event.is === 'reopened') [open, taken] = [true, false]
    if (event.is === 'taken') taken = true
    if (event.is === 'given-back') taken = false
  }
  return { open, taken }
}

test('for any story: nobody is told inside a window or outside of the hours, or reminded of what is taken or over', () => {
  fc.assert(
    fc.property(events, quiets, terms, (list, silent, more) => {
      const any: CalloutRule = { ...rule, ...more, severities: ['warning', 'critical'] }
      const told = story(list, { quiet: silent })
      const { steps } = planCallout(any, told, at(5000))
      const hours = readHours(any.hours)
      for (const step of steps) {
        expect(silent.some(({ from, until }) => from <= step.at && (until === null || until > step.at))).toBe(false)
        if (hours) expect(withinHours(hours, step.at, told.zone)).toBe(true)
        const { open, taken } = standing(list, step.at)
        expect(open).toBe(step.step !== 'well')
        if (['tell', 'again', 'escalate'].includes(step.step)) expect(taken).toBe(false)
        if (step.step === 'untouched') expect(taken).toBe(true)
      }
      const times = steps.map((step) => step.at)
      expect(times).toEqual(times.toSorted((a, b) => a - b))
      const names = steps.map((step) => `${step.step} ${step.n}`)
      expect(new Set(names).size).toBe(names.length)
    }),
  )
})

test('for any story: asked again and again as time goes on, it says what it says at the end', () => {
  fc.assert(
    fc.property(events, quiets, terms, (list, silent, more) => {
      const any: CalloutRule = { ...rule, ...more }
      const end = at(5000)
      const whole = planCallout(any, story(list, { quiet: silent }), end).steps
      // As a server meets it: at each event, and whenever it said that something would be due.
      const live: CalloutStep[] = []
      let now = monday
      for (let round = 0; round < 2000 && now <= end; round++) {
        const known = list.filter((event) => event.at <= now)
        const decided = planCallout(any, story(known, { quiet: silent }), now)
        for (const step of decided.steps.slice(live.length)) live.push(step)
        expect(said(decided.steps)).toEqual(said(live))
        now = Math.min(decided.next ?? Infinity, list.find((event) => event.at > now)?.at ?? Infinity)
      }
      expect(said(live)).toEqual(said(whole))
    }),
    { numRuns: 60 },
  )
})
