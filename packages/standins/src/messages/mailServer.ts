import { simpleParser } from 'mailparser'
import { SMTPServer, type SMTPServerDataStream, type SMTPServerSession } from 'smtp-server'

/** A mail as somebody's reader would show it. */
export interface ReceivedMail {
  at: number
  to: string[]
  from: string
  subject: string
  text: string
  html: string
  messageId: string
  references: string[]
  headers: Map<string, unknown>
}

/**
 * How it behaves. `refuses`: takes no mail for anybody; `busy`: asks to come again; `loses-answer`: takes the mail and
 * ends the connection without a word; `stalls`: says nothing for a long time.
 */
export const mailMoods = ['well', 'refuses', 'busy', 'loses-answer', 'stalls'] as const
export type MailMood = (typeof mailMoods)[number]

const most = 5000

/** A mail server that hands nothing on: it keeps what came, the newest of some thousands. */
export class StandInMailServer {
  readonly received: ReceivedMail[] = []
  mood: MailMood = 'well'
  private server: SMTPServer | null = null

  constructor(private readonly onMail: (mail: ReceivedMail) => void = () => undefined) {}

  /** Mails by their Message-ID, as a reader that knows it keeps one of each. */
  get kept(): ReceivedMail[] {
    return [...new Map(this.received.map((mail) => [mail.messageId, mail])).values()]
  }

  /** @returns the port on 127.0.0.1 */
  async open(port = 0): Promise<number> {
    const server = new SMTPServer({
      authOptional: true,
      disabledCommands: ['STARTTLS', 'AUTH'],
      size: 10_000_000,
      onRcptTo: ({ address }, _session, done) => {
        if (this.mood === 'refuses')
          done(Object.assign(new Error(`${address} is not known here`), { responseCode: 550 }))
        else if (this.mood === 'busy') done(Object.assign(new Error('come again'), { responseCode: 451 }))
        else if (this.mood !== 'stalls') done()
      },
      onData: (stream, session, done) => {
        this.take(stream, session).then(
          () => {
            if (this.mood === 'loses-answer') this.dropConnections()
            else done()
          },
          (error: unknown) => done(error as Error),
        )
      },
    })
    // A connection that breaks is no reason to end.
    server.on('error', () => undefined)
    this.server = server
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject)
      server.listen(port, '127.0.0.1', resolve)
    })
    return (server.server.address() as { port: number }).port
  }

  private dropConnections(): void {
    const connections = this.server?.connections as unknown as Set<{ _socket: { destroy(): void } }> | undefined
    for (const connection of connections ?? []) connection._socket.destroy()
  }

  private async take(stream: SMTPServerDataStream, session: SMTPServerSession): Promise<void> {
    const parsed = await simpleParser(stream)
    const references = parsed.references ?? []
    const mail: ReceivedMail = {
      at: Date.now(),
      to: session.envelope.rcptTo.map(({ address }) => address),
      from: session.envelope.mailFrom ? session.envelope.mailFrom.address : '',
      subject: parsed.subject ?? '',
      text: parsed.text ?? '',
      html: parsed.html || '',
      messageId: parsed.messageId ?? '',
      references: typeof references === 'string' ? [references] : references,
      headers: parsed.headers,
    }
    this.received.push(mail)
    if (this.received.length > most) this.received.shift()
    this.onMail(mail)
  }

  async close(): Promise<void> {
    const { server } = this
    if (!server) return
    this.server = null
    await new Promise<void>((resolve) => server.close(() => resolve()))
  }
}
