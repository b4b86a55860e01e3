import fc from 'fast-check'
import { expect, test } from 'vitest'
import { planCallout, standingAt, usualCallout, type CalloutRule } from '../callout'
import { hour, minute } from '../units'
import { mailKind, type MailSigns } from './mailKind'
import { requestStory, type RequestPast } from './requestStory'
import { whoWrote } from './whoWrote'

const person: MailSigns = {
  returnPath: 'odile@tidemill.example',
  from: 'odile@tidemill.example',
  autoSubmitted: '',
  precedence: '',
  listId: '',
  contentType: 'text/plain',
  hops: 3,
}
const kind = (more: Partial<MailSigns>) => mailKind({ ...person, ...more }, ['help@lanternfield.example'])

test('who wrote a mail is told by what the standards have programs say of themselves', () => {
  expect(kind({})).toBe('person')
  // RFC 3834, section 5: “no” is what a person’s mail may say.
  expect(kind({ autoSubmitted: 'no' })).toBe('person')
  expect(kind({ autoSubmitted: 'auto-replied (vacation)' })).toBe('auto-reply')
  expect(kind({ autoSubmitted: 'Auto-Generated; owner-email="x@y"' })).toBe('auto-reply')
  // RFC 3464, section 2; RFC 8098, section 3.
  expect(kind({ contentType: 'multipart/report; report-type=delivery-status; boundary=x' })).toBe('bounce')
  expect(kind({ contentType: 'Multipart/Report; report-type="disposition-notification"' })).toBe('auto-reply')
  // RFC 5321, section 4.5.5.
  expect(kind({ returnPath: '' })).toBe('bounce')
  expect(kind({ returnPath: '', autoSubmitted: 'auto-replied' })).toBe('auto-reply')
  // RFC 2919.
  expect(kind({ listId: '<news.tidemill.example>' })).toBe('list')
  expect(kind({ precedence: 'Bulk' })).toBe('list')
  expect(kind({ from: 'Help@LANTERNFIELD.example' })).toBe('loop')
  expect(kind({ hops: 51 })).toBe('loop')
})

const domains = [
  { clientId: 1, domain: 'tidemill.example' },
  { clientId: 2, domain: 'north.tidemill.example' },
  { clientId: 3, domain: 'shared.example' },
  { clientId: 4, domain: 'shared.example' },
]
test('a client is known by an address before it is by a domain, and by the nearest domain', () => {
  const known = [
    { clientId: 5, email: 'Bo@tidemill.example' },
    { clientId: 6, email: 'two@x.example' },
    { clientId: 7, email: 'two@x.example' },
  ]
  const of = (address: string) => whoWrote(address, known, domains)
  expect(of('bo@Tidemill.example')).toBe(5)
  expect(of('odile@tidemill.example')).toBe(1)
  expect(of('odile@mail.tidemill.example')).toBe(1)
  expect(of('odile@mail.north.tidemill.example')).toBe(2)
  expect(of('odile@nottidemill.example')).toBeNull()
  expect(of('odile@tidemill.example.net')).toBeNull()
  expect([of('two@x.example'), of('x@shared.example'), of(''), of('@'), of('tidemill.example@y.example')]).toEqual([
    null,
    null,
    null,
    null,
    null,
  ])
})

const rule: CalloutRule = {
  about: 'mail',
  clientId: null,
  target: { on: 'everyone' },
  // Mail has no severity: it is not asked for one.
  severities: ['critical'],
  families: null,
  causes: null,
  hours: '',
  outside: 'later',
  tell: [{ to: 'team', id: 1 }],
  after: usualCallout.mailAfter,
  again: null,
  escalate: { after: usualCallout.escalateAfter, tell: [{ to: 'leads' }] },
  remindAfter: 24 * hour,
  sayWell: true,
}
const at = (minutes: number, event: RequestPast['event'], more: Partial<RequestPast> = {}): RequestPast => ({
  at: minutes * minute,
  event,
  person: null,
  until: null,
  ...more,
})
const said = (past: RequestPast[], until: number) =>
  planCallout(rule, requestStory(0, past, 'UTC'), until * minute).steps.map(
    (step) => `${step.step} ${step.at / minute}`,
  )

test('a request that nobody takes is told after 30 minutes, and to the lead 40 later; common practice, no source', () => {
  expect(said([], 300)).toEqual(['tell 30', 'escalate 70'])
  expect(said([at(20, 'taken', { person: 1 })], 300)).toEqual([])
  expect(said([at(20, 'taken', { person: 1 }), at(25, 'given-back', { person: 1 })], 300)).toEqual([
    'tell 35',
    'escalate 75',
  ])
  // What a colleague has put off for an hour stands still meanwhile.
  expect(said([at(10, 'hidden', { person: 1, until: 70 * minute })], 300)).toEqual(['tell 90', 'escalate 130'])
  expect(said([at(10, 'closed', { person: 1 })], 300)).toEqual([])
  // They wrote again after it was closed: its time begins anew, for everybody.
  expect(said([at(5, 'taken', { person: 1 }), at(10, 'closed', { person: 1 }), at(60, 'reopened')], 300)).toEqual([
    'tell 90',
    'escalate 130',
  ])
  // That it is over is said to nobody: whoever closes it has answered.
  expect(said([at(40, 'closed', { person: 1 })], 300)).toEqual(['tell 30'])
})

test('whatever happens to a request, nobody is told of one that is closed, taken, or put off', () => {
  const event = fc.record({
    at: fc.integer({ min: 1, max: 600 }),
    event: fc.constantFrom<RequestPast['event']>(
      'taken',
      'given-back',
      'closed',
      'reopened',
      'hidden',
      'shown',
      'note',
    ),
  })
  fc.assert(
    fc.property(fc.array(event, { maxLength: 12 }), (events) => {
      const past = events
        .toSorted((a, b) => a.at - b.at)
        .map(({ at: minutes, event: what }) =>
          at(minutes, what, { person: 1, until: what === 'hidden' ? (minutes + 45) * minute : null }),
        )
      const story = requestStory(0, past, 'UTC')
      for (const step of planCallout(rule, story, 800 * minute).steps) {
        const now = standingAt(story, step.at)
        expect([now.isOpen, now.isQuiet]).toEqual([true, false])
        expect(now.holder === null).toBe(step.step !== 'untouched')
      }
    }),
  )
})
