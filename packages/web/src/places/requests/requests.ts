import { shallowRef, watch, type ComputedRef, type ShallowRef } from 'vue'
import type { RequestPart, RequestView } from '#contract'
import type { Millis } from '#core'
import { api, type ApiError } from '../../parts/data/api'
import { onLive } from '../../parts/data/live'
import { newestOnly } from '../../parts/data/newest'

const kinds = ['open', 'taken', 'closed'] as const
type Kind = (typeof kinds)[number]

export interface RequestLists {
  data: ShallowRef<Record<Kind, RequestPart> | null>
  error: ShallowRef<ApiError | null>
  more(kind: Kind): Promise<void>
  refresh(): Promise<void>
}

/**
 * Requests as Rounds tells of them: open, taken, and closed since a time; kept up to date.
 * @param query to which clients, words and people they are narrowed; null: none are asked for
 * @param since when those that are closed are told
 */
export function useRequests(query: ComputedRef<string | null>, since: () => Millis | null): RequestLists {
  const data = shallowRef<Record<Kind, RequestPart> | null>(null)
  const error = shallowRef<ApiError | null>(null)
  let turn = 0
  const none: RequestPart = { rows: [], total: 0, next: null }
  const ask = (kind: Kind, more = ''): Promise<RequestPart> => {
    // Before it is known since when they are told, none is.
    if (kind === 'closed' && since() === null) return Promise.resolve(none)
    const closed = kind === 'closed' ? `&since=${since()}` : ''
    return api.get<RequestPart>(`/requests?status=${kind}${closed}&${query.value ?? ''}${more}`)
  }
  async function refresh(): Promise<void> {
    const mine = ++turn
    if (query.value === null) {
      data.value = null
      return
    }
    try {
      const [open, taken, closed] = await Promise.all(kinds.map((kind) => ask(kind)))
      if (mine !== turn) return
      data.value = { open: open!, taken: taken!, closed: closed! }
      error.value = null
    } catch (problem) {
      if (mine === turn && (problem as ApiError).problem?.code !== 'unreachable') error.value = problem as ApiError
    }
  }
  async function more(kind: Kind): Promise<void> {
    const mine = turn
    const next = data.value?.[kind].next
    if (!next) return
    const part = await ask(kind, `&after=${next}`).catch(() => null)
    if (!part || mine !== turn || !data.value) return
    const known = new Set(data.value[kind].rows.map(({ id }) => id))
    const rows: RequestView[] = [...data.value[kind].rows, ...part.rows.filter(({ id }) => !known.has(id))]
    data.value = { ...data.value, [kind]: { ...part, rows } }
  }
  const again = newestOnly(refresh)
  onLive((event) => {
    if (event === 'again' || event.topic === 'requests') again()
  })
  watch([query, since], again, { immediate: true })
  return { data, error, more, refresh }
}
