import type { IncomingMessage } from 'node:http'
import { connect, type Socket } from 'node:net'
import { open, stat } from 'node:fs/promises'
import { second, type CounterAsk, type CounterPlace, type CounterTrouble, type Millis } from '#core'
import { steady } from '../../clock'
import { getPage } from '../../getPage'

/** What an agent reads of one program at most: others wait, and it has little memory. */
export const counterLimits = { bytes: 1024 * 1024, time: 10 * second } as const

/** Why nothing was read, as a code, with what belongs to it. */
export class CounterTroubleError extends Error {
  constructor(
    readonly trouble: CounterTrouble,
    readonly detail = '',
  ) {
    super(trouble)
  }
}

/** What was read, and when it was so: by the steady clock, or by the time of a file. */
export interface CounterText {
  text: string
  at: Millis
}

const codes: Readonly<Record<string, CounterTrouble>> = {
  ECONNREFUSED: 'refused',
  ENOENT: 'absent',
  ENOTDIR: 'absent',
  EACCES: 'denied',
  EPERM: 'denied',
  ETIMEDOUT: 'timeout',
  ABORT_ERR: 'timeout',
}

/** What went wrong, in the words of the product; a trouble of its own stays as it is. */
export function counterTroubleOf(error: unknown, what = ''): CounterTroubleError {
  if (error instanceof CounterTroubleError) return error
  const { code = '', name, message } = error as NodeJS.ErrnoException
  const trouble = codes[name === 'AbortError' || name === 'TimeoutError' ? 'ABORT_ERR' : code] ?? 'other'
  return new CounterTroubleError(trouble, trouble === 'other' ? code || message : trouble === 'absent' ? what : '')
}

/**
 * The text of a place of this machine.
 * @throws CounterTroubleError
 */
export async function counterText(
  place: Exclude<CounterPlace, { at: 'own' }>,
  { say, old }: Pick<CounterAsk, 'say' | 'old'>,
  now: Millis,
): Promise<CounterText> {
  const stop = AbortSignal.timeout(counterLimits.time)
  try {
    switch (place.at) {
      case 'page':
        return { text: await pageText(new URL(place.url), stop), at: steady() }
      case 'socket':
        return { text: await answerOf(connect({ path: place.path }), say, stop), at: steady() }
      case 'port':
        return {
          text: await answerOf(connect({ host: numeric(place.host), port: place.port }), say, stop),
          at: steady(),
        }
      case 'file':
        return await fileText(place.path, old, now)
    }
  } catch (error) {
    throw counterTroubleOf(error, place.at === 'page' ? place.url : place.at === 'port' ? '' : place.path)
  }
}

/** Names lead where a file of the machine says; this one leads nowhere else. */
const numeric = (host: string) => (host === 'localhost' ? '127.0.0.1' : host.replace(/^\[|\]$/g, ''))

async function pageText(url: URL, stop: AbortSignal): Promise<string> {
  // On the machine itself nobody stands in between, and its certificate is of another name.
  const answer = await getPage(url, numeric(url.hostname), stop, { rejectUnauthorized: false })
  if (answer.statusCode === 200) return whole(answer)
  answer.destroy()
  throw new CounterTroubleError('status', String(answer.statusCode))
}

async function whole(stream: IncomingMessage | Socket): Promise<string> {
  const pieces: Buffer[] = []
  let length = 0
  for await (const piece of stream as AsyncIterable<Buffer>) {
    length += piece.length
    if (length > counterLimits.bytes) throw new CounterTroubleError('large')
    pieces.push(piece)
  }
  return Buffer.concat(pieces).toString('utf8')
}

/** Whoever keeps the connection open has said all when nothing has come for so long. */
const silence: Millis = 300

/** What a socket answers to a line, or says by itself; both ways of ending are known: to close, and to wait. */
async function answerOf(socket: Socket, say: string, stop: AbortSignal): Promise<string> {
  const end = () => socket.destroy(new CounterTroubleError('timeout'))
  stop.addEventListener('abort', end, { once: true })
  try {
    await new Promise<void>((resolve, reject) => {
      socket.once('connect', resolve).once('error', reject)
    })
    if (say) socket.write(`${say}\r\n`)
    return await new Promise<string>((resolve, reject) => {
      const pieces: Buffer[] = []
      let length = 0
      const done = () => {
        resolve(Buffer.concat(pieces).toString('utf8'))
      }
      socket.on('data', (piece: Buffer) => {
        length += piece.length
        if (length > counterLimits.bytes) return reject(new CounterTroubleError('large'))
        pieces.push(piece)
        socket.setTimeout(silence, done)
      })
      socket.once('end', done).once('error', reject)
    })
  } finally {
    stop.removeEventListener('abort', end)
    socket.destroy()
  }
}

/** Files of the kernel have no size, and something in them. */
async function fileText(path: string, old: Millis | null, now: Millis): Promise<CounterText> {
  const stats = await stat(path)
  // A pipe, or a device, may never end.
  if (!stats.isFile()) throw new CounterTroubleError('absent', path)
  if (old !== null && now - stats.mtimeMs > old) throw new CounterTroubleError('old')
  const file = await open(path, 'r')
  try {
    const piece = Buffer.alloc(64 * 1024)
    const pieces: Buffer[] = []
    for (let length = 0; ;) {
      const { bytesRead } = await file.read(piece, 0, piece.length, null)
      if (bytesRead === 0) break
      length += bytesRead
      if (length > counterLimits.bytes) throw new CounterTroubleError('large')
      pieces.push(Buffer.from(piece.subarray(0, bytesRead)))
    }
    return { text: Buffer.concat(pieces).toString('utf8'), at: stats.mtimeMs }
  } finally {
    await file.close()
  }
}
