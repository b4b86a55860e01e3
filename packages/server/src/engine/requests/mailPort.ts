import { SMTPServer, type SMTPServerDataStream, type SMTPServerSession } from 'smtp-server'
import { minute, sameAddress, type Millis } from '#core'
import { firstRow, type Pool } from '../../db'
import { noteFault } from '../../store/health'
import { takeMail, TooMuchMailError } from './takeMail'

export interface MailPortOptions {
  /** What it calls itself. */
  name: string
  /** PEM; without them nothing is said of TLS. */
  tls?: { key: string; cert: string } | undefined
  /** In bytes; more is not taken. */
  size?: number
  /** Whoever says nothing for so long is not waited for. */
  patience?: Millis
}
export interface MailPort {
  port: number
  close(): Promise<void>
}

/** With attachments as people send them; most mail servers take no more. */
const mostBytes = 10 * 1024 * 1024
const mostAtOnce = 20
const mostRecipients = 50

const refusal = (responseCode: number, text: string) => Object.assign(new Error(text), { responseCode })

async function addressesOf(pool: Pool): Promise<string[]> {
  const row = await firstRow<{ addresses: string[] }>(pool, 'select addresses from inbox')
  return row?.addresses ?? []
}

/**
 * Takes mail (RFC 5321) for the addresses of the house and for no other: it hands nothing on. A mail is acknowledged
 * once it is kept; what cannot be kept now is asked for again (451).
 *
 * @throws where it cannot listen there
 */
export async function openMailPort(
  pool: Pool,
  { port, host }: { port: number; host: string },
  { name, tls, size = mostBytes, patience = minute }: MailPortOptions,
): Promise<MailPort> {
  const server = new SMTPServer({
    name,
    banner: 'Custode',
    size,
    authOptional: true,
    disabledCommands: tls ? ['AUTH'] : ['AUTH', 'STARTTLS'],
    disableReverseLookup: true,
    maxClients: mostAtOnce,
    socketTimeout: patience,
    closeTimeout: 1000,
    ...(tls ?? {}),
    onRcptTo({ address }, { envelope }, done) {
      if (envelope.rcptTo.length >= mostRecipients) return done(refusal(452, 'Too many recipients at once'))
      addressesOf(pool).then(
        (own) =>
          own.some((each) => sameAddress(each, address))
            ? done()
            : done(refusal(550, 'No mail is taken for this address here')),
        () => done(refusal(451, 'Not now, please try again')),
      )
    },
    onData(stream, session, done) {
      received(stream, size).then(async (raw) => {
        if (raw === null) return done(refusal(552, `No more than ${Math.floor(size / 1024 / 1024)} MB are taken`))
        try {
          await takeMail(pool, { raw, returnPath: returnPathOf(session) }, Date.now())
          done()
        } catch (error) {
          if (error instanceof TooMuchMailError) return done(refusal(452, 'Too much mail came within an hour'))
          await noteFault(pool, 'mail from clients', error)
          done(refusal(451, 'It could not be kept now, please try again'))
        }
      }, done)
    },
  })
  // Connections that break, and those who speak something else, are no reason to end.
  server.on('error', () => undefined)
  await new Promise<void>((resolve, reject) => {
    server.server.once('error', reject)
    server.listen(port, host, resolve)
  })
  return {
    port: (server.server.address() as { port: number }).port,
    close: () => new Promise((resolve) => server.close(() => resolve())),
  }
}

const returnPathOf = ({ envelope }: SMTPServerSession) => (envelope.mailFrom ? envelope.mailFrom.address : '')

/** All of it; null: it is too large. It is read to its end all the same, so that the sender hears why. */
async function received(stream: SMTPServerDataStream, most: number): Promise<Buffer | null> {
  const parts: Buffer[] = []
  let bytes = 0
  for await (const part of stream as AsyncIterable<Buffer>) {
    bytes += part.length
    if (bytes <= most) parts.push(part)
    else parts.length = 0
  }
  return bytes > most ? null : Buffer.concat(parts)
}
