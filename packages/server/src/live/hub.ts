import type { LiveEvent } from '#contract'
import { day } from '#core'
import type { FastifyInstance } from 'fastify'
import pg from 'pg'
import { rows, type Pool } from '../db'
import { sessionToken } from '../features/access/cookie'
import { viewerOf } from '../features/access/viewer'
import { route } from '../http/route'
import type { Viewer } from '../http/viewer'
import { announce, channel } from './announce'

/**
 * A browser that has not read so much of what it was sent reads no more; it is cut off, and comes back when it does.
 */
const mostUnread = 256 * 1024

interface Listener {
  viewer: Viewer
  token: string | undefined
  send(event: LiveEvent): void
  end(): void
}

/** Passes what was announced on to the browsers that may know of it. */
export class LiveHub {
  readonly #listeners = new Set<Listener>()
  readonly #reported = new Map<number, number>()
  /** Called with all that is announced. */
  onEvent: (event: LiveEvent) => void = () => undefined
  #connection: pg.Client | null = null
  #closed = false
  #flush: NodeJS.Timeout | null = null

  constructor(
    private readonly pool: Pool,
    private readonly url: string,
  ) {}

  async start(): Promise<void> {
    await this.#connect()
  }

  async #connect(): Promise<void> {
    const connection = new pg.Client({ connectionString: this.url, application_name: 'custode live' })
    connection.on('notification', ({ payload }) => {
      if (payload) this.#pass(JSON.parse(payload) as LiveEvent)
    })
    const again = () => {
      if (this.#closed || this.#connection !== connection) return
      this.#connection = null
      setTimeout(() => {
        this.#connect().catch(() => undefined)
      }, 1000).unref()
    }
    connection.on('error', again)
    connection.on('end', again)
    this.#connection = connection
    await connection.connect().catch((error: unknown) => {
      again()
      throw error
    })
    await connection.query(`listen ${channel}`)
  }

  /** A device reported. Gathered for a quarter of a second: a busy fleet does not mean as many notifications. */
  reported(deviceId: number, clientId: number): void {
    this.#reported.set(deviceId, clientId)
    this.#flush ??= setTimeout(() => {
      this.#flush = null
      const deviceIds = [...this.#reported.keys()]
      const clientIds = [...new Set(this.#reported.values())]
      this.#reported.clear()
      announce(this.pool, { topic: 'reports', clientIds, deviceIds })
    }, 250)
  }

  #pass(event: LiveEvent): void {
    this.onEvent(event)
    if (event.topic === 'people') void this.#checkAll().catch(() => undefined)
    const parts = new Map<string, Promise<LiveEvent | null>>()
    for (const listener of this.#listeners) {
      const { clientIds } = listener.viewer
      if (clientIds === null) listener.send(event)
      else if (event.clientIds?.some((id) => clientIds.includes(id)) ?? true) {
        const key = clientIds.join()
        const part = parts.get(key) ?? this.#ownPart(event, clientIds)
        parts.set(key, part)
        void part.then((own) => {
          if (own && this.#listeners.has(listener)) listener.send(own)
        })
      }
    }
  }

  /**
   * Whoever is limited hears which devices of theirs changed and nothing of others: one look a scope and event. Of
   * places and policy they only hear that something did, since a device may have left them with that very change.
   */
  async #ownPart(event: LiveEvent, clientIds: readonly number[]): Promise<LiveEvent | null> {
    const some: LiveEvent = { topic: event.topic, clientIds: null, deviceIds: [] }
    if (!event.deviceIds.length || !['reports', 'alerts'].includes(event.topic)) return some
    const own = await rows<{ id: number }>(
      this.pool,
      'select id from device where id = any($1) and client_id = any($2) limit 1000',
      [event.deviceIds, clientIds],
    ).catch(() => null)
    if (!own) return some
    return own.length ? { ...some, deviceIds: own.map(({ id }) => id) } : null
  }

  /** Whoever was deactivated, limited or signed out hears no more; the others come back with what they may see now. */
  async #checkAll(): Promise<void> {
    for (const listener of [...this.#listeners]) await this.#check(listener)
  }

  async #check(listener: Listener): Promise<void> {
    const now = await viewerOf(this.pool, listener.token)
    if (
      now?.access !== listener.viewer.access ||
      JSON.stringify(now.clientIds) !== JSON.stringify(listener.viewer.clientIds)
    )
      listener.end()
  }

  routes(app: FastifyInstance): void {
    route(app, {
      method: 'GET',
      url: '/api/live',
      access: 'contact',
      summary: 'What changes, as server-sent events',
      answer: { media: 'text/event-stream' },
      handle: ({ viewer, request, reply }) => {
        reply.hijack()
        const { raw } = reply
        const { socket } = request
        const close = () => {
          clearInterval(beat)
          clearTimeout(limit)
          this.#listeners.delete(listener)
          if (!raw.writableEnded) raw.end()
        }
        const write = (text: string) => {
          if (raw.writableEnded || raw.destroyed) return close()
          if (raw.writableLength > mostUnread) return socket.destroy()
          raw.write(text)
        }
        const listener: Listener = {
          viewer,
          token: sessionToken(request),
          send: (event) => {
            write(`data: ${JSON.stringify(event)}\n\n`)
          },
          end: close,
        }
        // A session may end or change meanwhile.
        const beat = setInterval(() => {
          write(': still here\n\n')
          this.#check(listener).catch(() => undefined)
        }, 20_000)
        const limit = setTimeout(close, day / 24)
        for (const stream of [raw, request.raw]) stream.on('close', close).on('error', close)
        this.#listeners.add(listener)
        raw.writeHead(200, {
          'content-type': 'text/event-stream',
          'cache-control': 'no-store',
          'x-accel-buffering': 'no',
        })
        write('retry: 1000\n\n')
      },
    })
  }

  async stop(): Promise<void> {
    this.#closed = true
    if (this.#flush) clearTimeout(this.#flush)
    await this.#connection?.end().catch(() => undefined)
  }
}
