import { computed, onScopeDispose, ref, shallowRef, watch, type Ref, type ShallowRef, type WatchSource } from 'vue'
import type { LiveEvent } from '#contract'
import type { ApiError } from './api'
import { onLive } from './live'
import { newestOnly } from './newest'

/** A part of a list as the server gives it: `next` says where the one after it begins; `head` comes with the first. */
export interface Part<Row, Head> {
  rows: Row[]
  next: string | null
  head: Head | null
}

interface Options<Question, Row extends { id: number }, Head> {
  question: WatchSource<Question>
  read: (question: Question, after: string | null) => Promise<Part<Row, Head>>
  /** Some rows as they are now; those that are gone are missing. */
  readRows: (ids: readonly number[]) => Promise<Row[]>
  /** Only the head, as it is now. */
  readHead: (question: Question) => Promise<Head>
  /** What may put other rows into the list, or others first. */
  topics: readonly LiveEvent['topic'][]
  /** The device that a row is of. */
  deviceOf: (row: Row) => number
  /** Whether a row that was read answers another question, too: it stays in sight while that is asked. */
  answers: (question: Question, row: Row) => boolean
  /** Somebody has gone into the list: then nothing in it may jump. */
  isReading: () => boolean
}

export interface Pages<Row, Head> {
  rows: ShallowRef<Row[]>
  head: ShallowRef<Head | null>
  error: ShallowRef<ApiError | null>
  /** There is more below what was read. */
  hasMore: Ref<boolean>
  /** The list would look different if it was read again, which waits while somebody reads. */
  isStale: Ref<boolean>
  /** Another question was asked: what is shown answers it, and there may be more. */
  isAsking: Ref<boolean>
  more(): Promise<void>
  refresh(): Promise<void>
  /** Which rows are in sight: only those are kept up to date. */
  see(from: number, to: number): void
}

/** Rows are brought up to date so often at most, whatever happens. */
const pace = 1000

/**
 * A long list, read part by part as somebody goes down it. A change brings the rows in sight up to date where they
 * stand; the order and what came new follow at once at the top of the list, and wait behind a word where somebody is
 * reading. An answer that was overtaken by a newer question is dropped.
 */
export function usePages<Question, Row extends { id: number }, Head>(
  options: Options<Question, Row, Head>,
): Pages<Row, Head> {
  const rows = shallowRef<Row[]>([])
  const head = shallowRef<Head | null>(null)
  const error = shallowRef<ApiError | null>(null)
  const next = ref<string | null>(null)
  const isStale = ref(false)
  const isAsking = ref(false)
  let question: Question
  let turn = 0
  let reading: Promise<void> | null = null
  let sight: [from: number, to: number] = [0, 40]

  async function guarded(work: () => Promise<void>): Promise<void> {
    const mine = turn
    try {
      await work()
    } catch (problem) {
      if (mine !== turn) return
      // While the server is away the page says so once, and what was read stays in sight; a question stays open.
      const away = (problem as ApiError).problem?.code === 'unreachable' && head.value !== null
      if (away) return
      isAsking.value = false
      error.value = problem as ApiError
    }
  }
  async function refresh(): Promise<void> {
    const mine = ++turn
    isStale.value = false
    await guarded(async () => {
      const part = await options.read(question, null)
      if (mine !== turn) return
      isAsking.value = false
      rows.value = part.rows
      next.value = part.next
      head.value = part.head
      error.value = null
    })
  }
  async function readMore(): Promise<void> {
    const mine = turn
    await guarded(async () => {
      const part = await options.read(question, next.value)
      if (mine !== turn) return
      // One that has moved down meanwhile stands already further up.
      const known = new Set(rows.value.map((row) => row.id))
      rows.value = [...rows.value, ...part.rows.filter((row) => !known.has(row.id))]
      next.value = part.next
    })
  }
  const more = async () => {
    if (next.value === null) return
    reading ??= readMore().finally(() => {
      reading = null
    })
    await reading
  }

  const inSight = () => rows.value.slice(sight[0], sight[1] + 1)
  async function patch(wanted: readonly Row[]): Promise<void> {
    if (!wanted.length) return
    const mine = turn
    await guarded(async () => {
      const found = new Map((await options.readRows(wanted.map((row) => row.id))).map((row) => [row.id, row]))
      if (mine !== turn) return
      const asked = new Set(wanted.map((row) => row.id))
      if (found.size < asked.size) isStale.value = true
      rows.value = rows.value.map((row) => (asked.has(row.id) ? (found.get(row.id) ?? row) : row))
    })
  }

  /** Changed since they were read, and not in sight then. */
  const outdated = new Set<number>()
  let timer: ReturnType<typeof setTimeout> | null = null
  let structure = false
  let took = 0
  async function follow(): Promise<void> {
    timer = null
    const began = Date.now()
    const moved = structure
    structure = false
    if (moved && (isAsking.value || !options.isReading())) {
      outdated.clear()
      await refresh()
    } else {
      if (moved)
        await guarded(async () => {
          const mine = turn
          const now = await options.readHead(question)
          if (mine !== turn) return
          if (JSON.stringify(now) !== JSON.stringify(head.value)) isStale.value = true
          head.value = now
        })
      const wanted = inSight().filter((row) => outdated.has(row.id))
      for (const row of wanted) outdated.delete(row.id)
      await patch(wanted)
    }
    took = Date.now() - began
  }
  const soon = () => {
    timer ??= setTimeout(() => void follow(), Math.max(pace, 2 * took))
  }
  onLive((event) => {
    const isOfList = event === 'again' || options.topics.includes(event.topic)
    if (!isOfList && event.topic !== 'reports') return
    if (isOfList) structure = true
    const devices = event === 'again' ? [] : event.deviceIds
    const of = new Set(devices)
    for (const row of rows.value) if (!devices.length || of.has(options.deviceOf(row))) outdated.add(row.id)
    soon()
  })
  onScopeDispose(() => {
    if (timer) clearTimeout(timer)
    turn++
  })
  const ask = newestOnly(refresh)
  watch(
    options.question,
    (asked) => {
      question = asked
      // An answer to the question before is none to this one.
      turn++
      next.value = null
      isAsking.value = true
      const left = rows.value.filter((row) => options.answers(asked, row))
      // Where each of them answers it, nothing is drawn anew.
      if (left.length < rows.value.length) rows.value = left
      ask()
    },
    { immediate: true },
  )
  return {
    rows,
    head,
    error,
    hasMore: computed(() => next.value !== null),
    isStale,
    isAsking,
    more,
    refresh,
    see(from, to) {
      sight = [from, to]
      if (rows.value.slice(from, to + 1).some((row) => outdated.has(row.id))) soon()
    },
  }
}
