import { computed, watch, type ComputedRef } from 'vue'
import type { ClientId } from '#core'
import { useResource, type Resource, type ResourceOptions } from './resource'

export interface Parts<Part> extends Resource<Part> {
  /** Reads the next part, and from then on with those before it. */
  more(): void
}

/**
 * A list that comes in parts by key. When something of it changes, as many parts are read again as somebody has gone
 * down, so that nothing goes from under the eyes.
 * @param read the part after a key; null: the first
 * @param join both in one, with where the second one ended
 */
export function useParts<Part extends { next: string | null }>(
  read: (after: string | null) => Promise<Part>,
  join: (before: Part, after: Part) => Part,
  options: ResourceOptions = {},
): Parts<Part> {
  let parts = 1
  // Before the resource hears of them: another question is answered from its beginning.
  if (options.sources)
    watch(
      options.sources,
      () => {
        parts = 1
      },
      { flush: 'sync' },
    )
  const resource = useResource(async () => {
    let whole = await read(null)
    for (let i = 1; i < parts && whole.next !== null; i++) whole = join(whole, await read(whole.next))
    return whole
  }, options)
  return {
    ...resource,
    more: () => {
      parts++
      void resource.refresh()
    },
  }
}

/** What a part of a list is asked for with: of the client in view, and after the last one of the part before. */
export function partQuery(clientId: ClientId | null, after: string | null): URLSearchParams {
  const query = new URLSearchParams()
  if (clientId !== null) query.set('client', String(clientId))
  if (after !== null) query.set('after', after)
  return query
}

interface Older<Row> {
  rows: Row[]
  next: string | null
}
export interface NewestFirst<Row> extends Omit<Parts<Older<Row>>, 'data'> {
  data: ComputedRef<Row[] | null>
  /** There are older ones than were read. */
  hasMore: ComputedRef<boolean>
}

/** A list by number, the newest first, of which a hundred come at once. */
export function useNewestFirst<Row extends { id: number }>(
  ask: (query: string) => Promise<Row[]>,
  options: ResourceOptions = {},
): NewestFirst<Row> {
  const atOnce = 100
  const { data, ...parts } = useParts<Older<Row>>(
    async (before) => {
      const rows = await ask(`limit=${atOnce}${before === null ? '' : `&before=${before}`}`)
      return { rows, next: rows.length < atOnce ? null : String(rows.at(-1)!.id) }
    },
    (before, after) => {
      // What was open when the first part was read may be over in the next.
      const known = new Set(before.rows.map((row) => row.id))
      return { rows: [...before.rows, ...after.rows.filter((row) => !known.has(row.id))], next: after.next }
    },
    options,
  )
  return {
    ...parts,
    data: computed(() => data.value?.rows ?? null),
    hasMore: computed(() => data.value?.next != null),
  }
}
