import { onScopeDispose, ref, shallowRef, watch, type Ref, type ShallowRef, type WatchSource } from 'vue'
import type { AlertView, Rounds, RoundsGroup, RoundsPart, RoundsRow } from '#contract'
import { watchKinds } from '#core'
import { api, type ApiError } from '../../parts/data/api'
import { asOf } from '../../parts/data/asOf'
import { onLive } from '../../parts/data/live'
import { newestOnly } from '../../parts/data/newest'

const groupNames: readonly RoundsGroup[] = [
  'todo',
  'working',
  'remediation',
  'held',
  'settled',
  'remediated',
  'dismissed',
]

/** So often at most what is shown is brought up to date, whatever happens. */
const pace = 500
/** Rows asked for at a time, as many as an address holds. */
const atOnce = 500

export interface RoundsList {
  data: ShallowRef<Rounds | null>
  error: ShallowRef<ApiError | null>
  /** What came or went since the groups were read, while somebody reads them; null: nothing. */
  waiting: Ref<{ fresh: number } | null>
  /** Another question was asked: what is shown answers it, and there may be more. */
  isAsking: Ref<boolean>
  more(group: RoundsGroup): Promise<void>
  refresh(): Promise<void>
}

/**
 * The round, read part by part. What changes is brought up to date where it stands. At the top of the list what is new
 * comes in at once; while somebody reads further down it waits, so that nothing jumps.
 * @param query what stands in the address of the request: client, span, words
 */
export function useRounds(query: WatchSource<string>, isReading: () => boolean): RoundsList {
  const data = shallowRef<Rounds | null>(null)
  const error = shallowRef<ApiError | null>(null)
  const waiting = ref<{ fresh: number } | null>(null)
  const isAsking = ref(false)
  let asked = ''
  let turn = 0

  async function guarded(work: (isNow: () => boolean) => Promise<void>): Promise<void> {
    const mine = turn
    try {
      await work(() => mine === turn)
    } catch (problem) {
      const away = (problem as ApiError).problem?.code === 'unreachable' && data.value !== null
      // While the server is away a question stays open.
      if (mine !== turn || away) return
      isAsking.value = false
      error.value = problem as ApiError
    }
  }
  async function refresh(): Promise<void> {
    turn++
    await guarded(async (isNow) => {
      const found = await api.get<Rounds>(`/rounds?${asked}`)
      if (!isNow()) return
      isAsking.value = false
      data.value = found
      error.value = null
      waiting.value = null
    })
  }
  const loading = new Set<RoundsGroup>()
  async function more(group: RoundsGroup): Promise<void> {
    const next = data.value?.[group].next
    if (next === undefined || next === null || loading.has(group)) return
    loading.add(group)
    await guarded(async (isNow) => {
      const part = await api.get<RoundsPart<RoundsRow>>(`/rounds/part?${asked}&group=${group}&after=${next}`)
      if (!isNow() || !data.value) return
      const before = data.value[group] as RoundsPart<RoundsRow>
      const known = new Set(before.rows.map((row) => row.id))
      const rows = [...before.rows, ...part.rows.filter((row) => !known.has(row.id))]
      data.value = { ...data.value, [group]: { ...part, rows } }
    }).finally(() => loading.delete(group))
  }

  /** Alerts of these devices, or of all, as they are now, where they stand. */
  async function patch(devices: ReadonlySet<number> | null): Promise<void> {
    const rounds = data.value
    if (!rounds) return
    const groups = ['todo', 'working', 'settled', 'dismissed'] as const
    const ids = groups.flatMap((group) =>
      rounds[group].rows
        .filter((row) => row.deviceId === null || (devices?.has(row.deviceId) ?? true))
        .map((row) => row.id),
    )
    if (!ids.length) return
    await guarded(async (isNow) => {
      const found = new Map<number, AlertView>()
      for (let from = 0; from < ids.length; from += atOnce)
        for (const row of await api.get<AlertView[]>(`/alert-rows?ids=${ids.slice(from, from + atOnce).join(',')}`))
          found.set(row.id, row)
      if (!isNow() || !data.value) return
      const now = { ...data.value }
      for (const group of groups)
        now[group] = { ...now[group], rows: now[group].rows.map((row) => found.get(row.id) ?? row) }
      data.value = now
    })
  }
  /** Only counts, which are enough to say that something waits. */
  async function count(): Promise<void> {
    await guarded(async (isNow) => {
      const now = await api.get<Rounds>(`/rounds?${asked}&limit=0`)
      if (!isNow() || !data.value) return
      const before = data.value
      if (now.fresh !== before.fresh || groupNames.some((group) => now[group].total !== before[group].total))
        waiting.value = { fresh: Math.max(0, now.fresh - before.fresh) }
    })
  }

  let timer: ReturnType<typeof setTimeout> | null = null
  let took = 0
  let touched: Set<number> | null = new Set()
  async function follow(): Promise<void> {
    timer = null
    const began = Date.now()
    const devices = touched
    touched = new Set()
    if (isReading() && !isAsking.value) {
      await patch(devices)
      await count()
    } else await refresh()
    took = Date.now() - began
  }
  onLive((event) => {
    if (event !== 'again' && event.topic !== 'alerts' && event.topic !== 'windows') return
    if (event === 'again' || !event.deviceIds.length) touched = null
    else for (const id of event.deviceIds) touched?.add(id)
    timer ??= setTimeout(() => void follow(), Math.max(data.value ? 60 : 0, took > 100 ? Math.max(pace, 2 * took) : 0))
  })
  onScopeDispose(() => {
    if (timer) clearTimeout(timer)
    turn++
  })
  const ask = newestOnly(refresh)
  watch(
    query,
    (now) => {
      asked = now
      turn++
      isAsking.value = true
      if (data.value) data.value = narrowed(data.value, now)
      ask()
    },
    { immediate: true },
  )
  return { data, error, waiting, isAsking, more, refresh }
}

/**
 * Those rows of a round that answer another question, too, as the server decides it: they stay in sight while it is
 * asked. What there is beyond them is not known yet.
 */
export function narrowed(rounds: Rounds, query: string): Rounds {
  const asked = new URLSearchParams(query)
  const [client, from, until] = ['client', 'from', 'until'].map((name) => Number(asked.get(name) ?? 0))
  const words = (asked.get('words') ?? '').trim().toLowerCase()
  const [severity, family] = [asked.get('severity'), asked.get('family')]
  const [who, age] = [Number(asked.get('who') ?? 0), Number(asked.get('age') ?? 0)]
  const familyOf = ({ rule }: RoundsRow) =>
    rule.kind === 'site' ? 'silence' : (watchKinds.get(rule.kind)?.subject ?? null)
  const isShown = (row: RoundsRow) =>
    (!client || row.clientId === client) &&
    (!until || row.began <= until) &&
    (!from || (('closedAt' in row ? row.closedAt : row.endedAt) ?? Infinity) >= from) &&
    (!severity || row.severity === severity) &&
    (!family || familyOf(row) === family) &&
    (!age || row.began <= (asOf.value ?? Date.now()) - age) &&
    (!who || ('takenById' in row && (row.takenById === who || row.offeredToId === who))) &&
    [row.instance, row.rule.name, row.deviceName, row.clientName].some((text) => text.toLowerCase().includes(words))
  const part = <Row extends RoundsRow>({ rows }: RoundsPart<Row>): RoundsPart<Row> => {
    const left = rows.filter(isShown)
    return { rows: left, total: left.length, next: null }
  }
  return {
    ...rounds,
    todo: part(rounds.todo),
    working: part(rounds.working),
    remediation: part(rounds.remediation),
    held: part(rounds.held),
    settled: part(rounds.settled),
    remediated: part(rounds.remediated),
    dismissed: part(rounds.dismissed),
  }
}
