import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { Target } from '../../estate'
import { fromDocument, toDocument, type References } from '.'
import type { Policy } from '../roster'
import { fromLibrary, libraryTemplates } from '../library'
import { withSteps } from '../steps'
import type { Assignment, Exception } from '../template'

const refs: References = {
  client: (id) => ['', 'tm', 'bb'][id] ?? null,
  site: (id) => (id === 11 ? 'tm/Harbour' : null),
  device: (id) => (id >= 100 ? `tm/d${id}` : null),
  person: (id) => (id === 3 ? 'ines@lanternfield.example' : null),
  clientOf: (text) => ({ tm: 1, bb: 2 })[text] ?? null,
  siteOf: (text) => (text === 'tm/Harbour' ? 11 : null),
  deviceOf: (text) => (/^tm\/d\d+$/.test(text) ? Number(text.slice(4)) : null),
  personOf: (text) => (text.startsWith('ines@') ? 3 : null),
}
const empty: Policy = { templates: [], assignments: [], exceptions: [] }
const day = Date.UTC(2027, 1, 1)
const target: fc.Arbitrary<Target> = fc.letrec<{ target: Target }>((tie) => ({
  target: fc.oneof(
    { maxDepth: 2 },
    fc.constantFrom<Target>(
      { on: 'everyone' },
      { on: 'kind', kind: 'server' },
      { on: 'os', osFamily: 'windows' },
      { on: 'osName', pattern: 'Debian*' },
      { on: 'role', role: 'web' },
      { on: 'fact', fact: 'port', pattern: '443' },
      { on: 'client', clientId: 2 },
      { on: 'site', siteId: 11 },
      { on: 'network', network: '192.0.2.0/24' },
      { on: 'tag', tag: 'on' },
      { on: 'name', pattern: '*' },
      { on: 'devices', deviceIds: [103, 101] },
    ),
    fc.record({
      on: fc.constantFrom<'all' | 'any' | 'except'>('all', 'any', 'except'),
      of: fc.array(tie('target'), { minLength: 1, maxLength: 3 }),
    }),
  ),
})).target
const library = libraryTemplates.map((template, i) => ({
  ...fromLibrary(template),
  id: i + 1,
  revision: 1,
  includes: i === 2 ? [1] : [],
}))
const policies: fc.Arbitrary<Policy> = fc
  .record({
    assignments: fc.array(
      fc.record({
        templateId: fc.integer({ min: 1, max: library.length }),
        target,
        rank: fc.constantFrom(100, 5),
        dormant: fc.boolean(),
        reason: fc.constantFrom('', 'so: #1'),
        reviewAt: fc.constantFrom(null, day),
        values: fc.constantFrom<Assignment['values']>({}, { silence: { after: 90_500 } }),
      }),
      { maxLength: 5 },
    ),
    exceptions: fc.array(
      fc.record({
        target,
        watch: fc.constantFrom('disk.space', 'services'),
        leftOut: fc.boolean(),
        ownerId: fc.constantFrom(null, 3),
        reviewAt: fc.constantFrom(null, day),
        hold: fc.integer({ min: 0, max: 86_400_000 }),
      }),
      { maxLength: 4 },
    ),
  })
  .map(({ assignments, exceptions }) => ({
    templates: library,
    assignments: assignments.map((assignment, i): Assignment => ({
      ...assignment,
      id: 100 + i,
      revision: 1,
      createdAt: i,
    })),
    exceptions: exceptions.map(({ hold, ...rest }, i): Exception => ({
      ...rest,
      values: rest.leftOut ? {} : { hold, except: [`p${i}`] },
      reason: 'because',
      id: 200 + i,
      revision: 1,
      createdAt: i,
    })),
  }))
const plain = (document: unknown): unknown => JSON.parse(JSON.stringify(document))

describe('policy as a document', () => {
  it('says everything: read where there is nothing it makes the same policy, and writes the same document again', () => {
    fc.assert(
      fc.property(policies, (policy) => {
        const document = toDocument(policy, refs)
        const read = fromDocument(plain(document), empty, refs, '')
        expect(read.faults).toEqual([])
        expect(plain(toDocument(withSteps(empty, read.steps, 5000), refs))).toEqual(plain(document))
      }),
    )
  })
  it('changes nothing where it is in force', () => {
    fc.assert(
      fc.property(policies, (policy) => {
        expect(fromDocument(plain(toDocument(policy, refs)), policy, refs, '')).toMatchObject({ steps: [], faults: [] })
      }),
    )
  })
  it('of some templates leaves the others alone', () => {
    const policy: Policy = {
      templates: library,
      assignments: [
        {
          id: 1,
          revision: 1,
          createdAt: 1,
          templateId: 1,
          target: { on: 'everyone' },
          rank: 100,
          values: {},
          dormant: false,
          reason: '',
          reviewAt: null,
        },
        {
          id: 2,
          revision: 1,
          createdAt: 1,
          templateId: 2,
          target: { on: 'everyone' },
          rank: 100,
          values: {},
          dormant: false,
          reason: '',
          reviewAt: null,
        },
      ],
      exceptions: [],
    }
    const document = plain(toDocument(policy, refs, [2])) as {
      covers: string[]
      templates: { name: string }[]
      assignments: unknown[]
    }
    expect([document.covers, document.templates.map((template) => template.name), document.assignments.length]).toEqual(
      [['Base workstation'], ['Base workstation'], 1],
    )
    expect(fromDocument({ ...document, assignments: [] }, policy, refs, '').steps).toEqual([
      { of: 'assignment', id: 2, basedOn: 1, to: null },
    ])
  })
  it('writes values as people do, and exactly', () => {
    const [base] = (
      plain(toDocument({ ...empty, templates: library }, refs)) as {
        templates: { name: string; watches: Record<string, Record<string, unknown>> }[]
      }
    ).templates.filter((template) => template.name === 'Base server')
    expect(base!.watches['disk.space']).toMatchObject({
      'warning.percent': '10 %',
      'warning.bytes': '20 GB',
      hold: '15 min',
    })
  })
  it.each<[object, string]>([
    [{ format: 'another' }, 'format: A document of policy says “format: custode policy 1”.'],
    [{ format: 'custode policy 1' }, ': It has to say what it covers'],
    [{ format: 'custode policy 1', covers: 'everything', templates: {} }, 'templates: A list stands here'],
    [{ format: 'custode policy 1', covers: 'everything', colours: [] }, 'colours: “colours” means nothing here.'],
    [
      { format: 'custode policy 1', covers: 'everything', assignments: [{ template: 'Nowhere', to: 'everything' }] },
      'assignments.0.template: There is no template “Nowhere”.',
    ],
    [
      {
        format: 'custode policy 1',
        covers: 'everything',
        exceptions: [{ watch: 'a', for: { client: 'zz' }, why: 'so' }],
      },
      'exceptions.0.for.client: There is no client “zz”.',
    ],
    [
      {
        format: 'custode policy 1',
        covers: 'everything',
        exceptions: [{ watch: 'a', for: { rôle: 'web' }, why: 'so' }],
      },
      'exceptions.0.for.rôle: “rôle” is no condition.',
    ],
    [
      {
        format: 'custode policy 1',
        covers: 'everything',
        exceptions: [{ watch: 'a', for: { kind: 'fridge' }, why: 'so', review: 'soon' }],
      },
      'exceptions.0.for.kind: “fridge” is no kind.',
    ],
    [
      {
        format: 'custode policy 1',
        covers: 'everything',
        assignments: [{ template: 'a', to: { os: 'beos' }, dormant: 'yes' }],
      },
      'assignments.0.dormant: “dormant” is true or false.',
    ],
    [
      { format: 'custode policy 1', covers: 'everything', assignments: [{ template: 'a', to: { os: 'beos' } }] },
      'assignments.0.to.os: “beos” is no OS family. Known are linux, windows.',
    ],
    [
      { format: 'custode policy 1', covers: 'everything', templates: [{ name: 'a' }, { name: 'A' }] },
      'templates.1.name: “A” stands here twice.',
    ],
  ])('says where it is wrong: %j', (document, fault) => {
    expect(
      fromDocument(document, empty, refs, '').faults.map(({ at, message }) => `${at.join('.')}: ${message}`),
    ).toContainEqual(expect.stringContaining(fault))
  })
})
