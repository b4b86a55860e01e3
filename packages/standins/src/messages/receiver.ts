import {
  createServer,
  type IncomingHttpHeaders,
  type IncomingMessage,
  type Server,
  type ServerResponse,
} from 'node:http'

/** What came to a webhook, word for word. */
export interface ReceivedEvent {
  at: number
  headers: IncomingHttpHeaders
  body: string
}

/**
 * How it behaves. `fails`: 500; `gone`: 410; `stalls`: never answers; `late`: answers after some seconds; `busy`: 429.
 */
export const receiverMoods = ['well', 'fails', 'gone', 'busy', 'late', 'stalls'] as const
export type ReceiverMood = (typeof receiverMoods)[number]

const most = 5000
const lateBy = 3000

/** A system that takes events, as another program of the house would. */
export class StandInReceiver {
  readonly received: ReceivedEvent[] = []
  mood: ReceiverMood = 'well'
  private server: Server | null = null

  /** Takes a request that came to it; also within another server. */
  async take(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const parts: Buffer[] = []
    let size = 0
    for await (const part of request as AsyncIterable<Buffer>) {
      parts.push(part)
      if ((size += part.length) > 1e6) return void response.writeHead(413).end()
    }
    const { mood } = this
    this.received.push({ at: Date.now(), headers: request.headers, body: Buffer.concat(parts).toString('utf8') })
    if (this.received.length > most) this.received.shift()
    if (mood === 'stalls') return
    if (mood === 'late') await new Promise((resolve) => setTimeout(resolve, lateBy))
    const status = { well: 204, late: 204, fails: 500, gone: 410, busy: 429 }[mood]
    response.writeHead(status, mood === 'busy' ? { 'retry-after': '1' } : {}).end()
  }

  /** @returns its address */
  async open(port = 0): Promise<string> {
    const server = createServer((request, response) => void this.take(request, response))
    this.server = server
    await new Promise<void>((resolve) => server.listen(port, '127.0.0.1', resolve))
    return `http://127.0.0.1:${(server.address() as { port: number }).port}/`
  }

  async close(): Promise<void> {
    const { server } = this
    this.server = null
    server?.closeAllConnections()
    await new Promise<void>((resolve) => (server ? server.close(() => resolve()) : resolve()))
  }
}
