import type { LiveEvent } from '#contract'
import { day } from '#core'
import type { FastifyInstance } from 'fastify'
import pg from 'pg'
import type { Pool } from '../db'
import type { Viewer } from '../features/access'
import { route } from '../http/route'
import { announce, channel } from './announce'

interface Listener { viewer: Viewer; send(event: LiveEvent): void }

/** Passes what was announced on to the browsers that may know of it. */
export class LiveHub {
  readonly #listeners = new Set<Listener>()
  readonly #reported = new Map<number, number>()
  /** Called with all that is announced. */
  onEvent: (event: LiveEvent) => void = () => undefined
  #connection: pg.Client | null = null
  #closed = false
  #flush: NodeJS.Timeout | null = null

  constructor(private readonly pool: Pool, private readonly url: string) {}

  async start(): Promise<void> {
    await this.#connect()
  }

  async #connect(): Promise<void> {
    const connection = new pg.Client({ connectionString: this.url, application_name: 'custode live' })
    connection.on('notification', ({ payload }) => { if (payload) this.#pass(JSON.parse(payload) as LiveEvent) })
    const again = () => {
      if (this.#closed || this.#connection !== connection) return
      this.#connection = null
      setTimeout(() => { this.#connect().catch(() => undefined) }, 1000).unref()
    }
    connection.on('error', again)
    connection.on('end', again)
    this.#connection = connection
    await connection.connect().catch((error: unknown) => { again(); throw error })
    await connection.query(`listen ${channel}`)
  }

  /** A device reported. Gathered for half a second, so that a busy fleet does not mean as many notifications. */
  reported(deviceId: number, clientId: number): void {
    this.#reported.set(deviceId, clientId)
    this.#flush ??= setTimeout(() => {
      this.#flush = null
      const deviceIds = [...this.#reported.keys()]
      const clientIds = [...new Set(this.#reported.values())]
      this.#reported.clear()
      announce(this.pool, { topic: 'reports', clientIds, deviceIds })
    }, 500)
  }

  #pass(event: LiveEvent): void {
    this.onEvent(event)
    for (const { viewer, send } of this.#listeners) {
      const seen = viewer.clientIds === null || event.clientIds === null || event.clientIds.some((id) => viewer.clientIds!.includes(id))
      // A contact hears that something of theirs changed, not which devices of others did.
      if (seen) send(viewer.clientIds === null ? event : { topic: event.topic, clientIds: null, deviceIds: [] })
    }
  }

  routes(app: FastifyInstance): void {
    route(app, {
      method: 'GET', url: '/api/live', access: 'contact', summary: 'What changes, as server-sent events', answer: { media: 'text/event-stream' },
      handle: ({ viewer, request, reply }) => {
        reply.hijack()
        const { raw } = reply
        raw.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' })
        raw.write('retry: 1000\n\n')
        const listener: Listener = { viewer, send: (event) => raw.write(`data: ${JSON.stringify(event)}\n\n`) }
        this.#listeners.add(listener)
        const beat = setInterval(() => raw.write(': still here\n\n'), 20_000)
        // A session may end or change meanwhile: the browser comes back, and is checked again.
        const limit = setTimeout(() => raw.end(), day / 24)
        request.raw.on('close', () => {
          clearInterval(beat)
          clearTimeout(limit)
          this.#listeners.delete(listener)
          raw.end()
        })
      },
    })
  }

  async stop(): Promise<void> {
    this.#closed = true
    if (this.#flush) clearTimeout(this.#flush)
    await this.#connection?.end().catch(() => undefined)
  }
}
