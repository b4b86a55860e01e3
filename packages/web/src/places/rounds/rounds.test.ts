import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, ref, type EffectScope } from 'vue'
import type { AlertView, Rounds, RoundsRow } from '#contract'
import { answerWith, Feed } from '../../testing/page'
import { narrowed, useRounds, type RoundsList } from './rounds'

const hour = 3_600_000
const row = (id: number, more: object = {}) => ({
  id,
  deviceId: 10 + id,
  deviceName: `tm-${id}`,
  clientId: 1,
  clientName: 'Tidemill Ferries',
  instance: '/',
  rule: { name: 'Free space', kind: 'disk-space' },
  severity: id === 2 ? 'critical' : 'warning',
  takenById: id === 1 ? 7 : null,
  offeredToId: null,
  began: id * hour,
  // An alert is closed; what is held, or was tried, ends.
  ...('endedAt' in more ? {} : { closedAt: null }),
  ...more,
})
const part = (rows: object[], total = rows.length, next: string | null = null) => ({ rows, total, next }) as never
const rounds = (more: Partial<Rounds> = {}): Rounds => ({
  lookedAt: 0,
  since: 0,
  fresh: 0,
  todo: part([row(1), row(2), row(3, { clientId: 2, clientName: 'Brindle Bakeries', deviceName: 'bb-till' })]),
  working: part([]),
  remediation: part([]),
  held: part([row(4, { endedAt: 5 * hour, instance: 'orders' })]),
  settled: part([row(5, { closedAt: 6 * hour })]),
  remediated: part([]),
  dismissed: part([]),
  ...more,
})
const ids = (of: Rounds) => [...of.todo.rows, ...of.held.rows, ...of.settled.rows].map((each: RoundsRow) => each.id)

describe('a round that is narrowed while the server is asked', () => {
  it.each<[query: string, ids: number[]]>([
    ['', [1, 2, 3, 4, 5]],
    ['client=2', [3]],
    ['words=TILL', [3]],
    ['words=order', [4]],
    ['words=%25', []],
    ['from=19800000', [1, 2, 3, 5]],
    ['until=7200000', [1, 2]],
    ['severity=critical', [2]],
    ['family=disk', [1, 2, 3, 4, 5]],
    ['family=silence', []],
    ['who=7', [1]],
    ['age=9000000000000', []],
  ])('keeps of %s what it has', (query, expected) => {
    expect(ids(narrowed(rounds(), query))).toEqual(expected)
  })
})

describe('the round', () => {
  let scope: EffectScope
  let list: RoundsList
  let reading: boolean
  const query = ref('')
  const begin = async (answers: Record<string, unknown>) => {
    const asked = answerWith(answers)
    scope = effectScope()
    list = scope.run(() => useRounds(query, () => reading))!
    await flushPromises()
    return asked
  }
  beforeEach(() => {
    reading = false
    query.value = ''
    vi.useFakeTimers()
  })
  afterEach(() => {
    scope.stop()
    vi.useRealTimers()
  })
  const tell = async (deviceIds: number[]) => {
    Feed.last.announce({ topic: 'alerts', clientIds: [1], deviceIds })
    await vi.advanceTimersByTimeAsync(1000)
  }

  it('takes in at once what is new while nobody has gone into it', async () => {
    const answers: Record<string, unknown> = { 'GET /rounds': rounds() }
    await begin(answers)
    answers['GET /rounds'] = rounds({ todo: part([row(9), row(1)]) })
    await tell([19])
    expect([list.data.value!.todo.rows.map(({ id }) => id), list.waiting.value]).toEqual([[9, 1], null])
  })
  it('lets it wait behind a count while somebody reads, and brings what is shown up to date where it stands', async () => {
    const answers: Record<string, unknown> = {
      'GET /rounds': rounds(),
      'GET /alert-rows': [row(2, { takenBy: 'R. Okafor' })],
    }
    const asked = await begin(answers)
    reading = true
    answers['GET /rounds'] = rounds({ fresh: 2, todo: part([], 5) })
    await tell([12])
    expect(list.data.value!.todo.rows.map((each: AlertView) => [each.id, each.takenBy])).toEqual([
      [1, undefined],
      [2, 'R. Okafor'],
      [3, undefined],
    ])
    expect(list.waiting.value).toEqual({ fresh: 2 })
    expect(asked.map(({ path }) => path)).toEqual(['/rounds?', '/alert-rows?ids=2', '/rounds?&limit=0'])
  })
  it('drops an answer that another question has overtaken, and says that it asks', async () => {
    let late: (answer: unknown) => void = () => undefined
    await begin({
      'GET /rounds?': rounds(),
      'GET /rounds?words=bri': new Promise((resolve) => (late = resolve)),
      'GET /rounds?words=till': rounds({ todo: part([row(3)]), held: part([]), settled: part([]) }),
    })
    query.value = 'words=bri'
    await flushPromises()
    expect([ids(list.data.value!), list.isAsking.value]).toEqual([[3], true])
    query.value = 'words=till'
    await vi.advanceTimersByTimeAsync(300)
    late(rounds())
    await flushPromises()
    expect([ids(list.data.value!), list.isAsking.value]).toEqual([[3], false])
  })
  it('asks for the next part of a group once, and shows nothing twice', async () => {
    const asked = await begin({
      'GET /rounds': rounds({ todo: part([row(1)], 3, '1_2_3') }),
      'GET /rounds/part': part([row(1), row(2)], 3, null),
    })
    await Promise.all([list.more('todo'), list.more('todo')])
    await list.more('todo')
    expect(list.data.value!.todo.rows.map(({ id }) => id)).toEqual([1, 2])
    expect(asked.filter(({ path }) => path.startsWith('/rounds/part'))).toHaveLength(1)
  })
})
