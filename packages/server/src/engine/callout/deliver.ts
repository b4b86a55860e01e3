import { Readable } from 'node:stream'
import MailComposer from 'nodemailer/lib/mail-composer'
import SMTPConnection from 'nodemailer/lib/smtp-connection'
import { Webhook } from 'standardwebhooks'
import { fetch } from 'undici'
import { hour, second, type Millis } from '#core'
import type { Mail } from './mail'

/**
 * How handing a message over went. `sent`: the other side took it. `refused`: it will not take this one. `later`: not
 * this one now. `away`: it takes none at the moment. `unknown`: nobody knows whether it has it. `answer`: what it
 * said.
 */
export interface Outcome {
  is: 'sent' | 'refused' | 'later' | 'away' | 'unknown'
  answer: string
  /** The other side asked for this long. */
  after?: Millis
}

export interface MailSettings {
  host: string
  port: number
  security: 'tls' | 'starttls' | 'none'
  username: string
  password: string | null
  sender: string
}

const longestAnswer = 500
const said = (text: unknown) => String(text).replace(/\s+/g, ' ').trim().slice(0, longestAnswer)

/** A connection to the mail server of the house, used for one message after the other. */
export class MailLine {
  private connection: SMTPConnection | null = null

  constructor(private readonly settings: MailSettings) {}

  /**
   * Hands a mail over. It carries the same Message-ID whenever it is, so that a reader that knows it keeps one.
   * @param host of this server, for its Message-IDs
   */
  async send({ id, to, host, mail }: { id: string; to: string; host: string; mail: Mail }): Promise<Outcome> {
    const { sender } = this.settings
    const { answers } = mail
    const raw = await new MailComposer({
      messageId: `<${id}@${host}>`,
      from: answers?.from ?? sender,
      to,
      subject: mail.subject,
      text: mail.text,
      ...(mail.html ? { html: mail.html } : {}),
      references: answers?.references ?? mail.references.map((name) => `<${name}@${host}>`),
      ...(answers
        ? { inReplyTo: answers.inReplyTo }
        : // RFC 3834, section 5: no auto-reply to this, please.
          { headers: { 'Auto-Submitted': 'auto-generated' } }),
      disableFileAccess: true,
      disableUrlAccess: true,
    })
      .compile()
      .build()
    // The text is read once the server has asked for it: before that it surely does not have the mail.
    let isOnItsWay = false
    const text = new Readable({
      read() {
        isOnItsWay = true
        this.push(raw)
        this.push(null)
      },
    })
    try {
      const connection = (this.connection ??= await connect(this.settings))
      // What comes back of an answer comes to where its request is.
      const answer = await handed(connection, { from: answers?.from ?? sender, to: [to] }, text)
      return { is: 'sent', answer: said(answer) }
    } catch (error) {
      this.close()
      return smtpOutcome(error as SmtpError, isOnItsWay, answers !== undefined)
    }
  }

  close(): void {
    this.connection?.quit()
    this.connection = null
  }
}

/** @throws SmtpError */
async function connect({ host, port, security, username, password }: MailSettings): Promise<SMTPConnection> {
  const connection = new SMTPConnection({
    host,
    port,
    secure: security === 'tls',
    requireTLS: security === 'starttls',
    ignoreTLS: security === 'none',
    connectionTimeout: 10 * second,
    greetingTimeout: 10 * second,
    socketTimeout: 20 * second,
  })
  await new Promise<void>((resolve, reject) => {
    connection.once('error', reject)
    connection.once('end', () => reject(new Error('The connection was closed.')))
    connection.connect(() => {
      if (!username) resolve()
      else connection.login({ user: username, pass: password ?? '' }, (error) => (error ? reject(error) : resolve()))
    })
  }).catch((error: unknown) => {
    connection.close()
    throw error
  })
  return connection
}

/** @returns what the server said. @throws SmtpError */
function handed(connection: SMTPConnection, envelope: { from: string; to: string[] }, text: Readable): Promise<string> {
  return new Promise((resolve, reject) => {
    const fail = (error?: unknown) => reject(error ?? new Error('The connection was closed.'))
    connection.once('error', fail)
    connection.once('end', fail)
    connection.send(envelope, text, (error, info) => {
      connection.removeListener('error', fail)
      connection.removeListener('end', fail)
      if (error) reject(error)
      else resolve(info?.response ?? '')
    })
  })
}

interface SmtpError {
  responseCode?: number
  response?: string
  command?: string
  message: string
}

/**
 * RFC 5321, section 4.2.1: 4yz may go later, 5yz will not; 421 closes the connection.
 * @param isOwnSender it goes out under an address of its own: that this is refused says nothing of other mails
 */
export function smtpOutcome(
  { responseCode, response, command, message }: SmtpError,
  isOnItsWay: boolean,
  isOwnSender = false,
): Outcome {
  const answer = said(response ?? message)
  if (responseCode === undefined) return { is: isOnItsWay ? 'unknown' : 'away', answer }
  // Refused as its sender, no mail of ours is taken at all.
  const isAboutMessage = /^(RCPT TO|DATA)$/.test(command ?? '') || (isOwnSender && command === 'MAIL FROM')
  if (responseCode === 421 || !isAboutMessage) return { is: 'away', answer }
  return { is: responseCode >= 500 ? 'refused' : 'later', answer }
}

/** Statuses by which a system says that it cannot now (RFC 9110, RFC 6585, RFC 8470). */
const busy = new Set([408, 425, 429])
const longestWait: Millis = 15 * second
const longestAsked: Millis = hour

/**
 * Hands an event over, signed as Standard Webhooks 1.0 has it (standardwebhooks.com: HMAC-SHA256 over id, time and
 * body). Redirects are not followed: whoever answers must be who was meant.
 */
export async function sendEvent(
  { url, secret }: { url: string; secret: string },
  { id, body, now }: { id: string; body: string; now: Millis },
): Promise<Outcome> {
  try {
    const response = await fetch(url, {
      method: 'POST',
      redirect: 'manual',
      signal: AbortSignal.timeout(longestWait),
      headers: {
        'content-type': 'application/cloudevents+json; charset=utf-8',
        'user-agent': 'Custode',
        'webhook-id': id,
        'webhook-timestamp': String(Math.floor(now / 1000)),
        'webhook-signature': new Webhook(secret).sign(id, new Date(now), body),
      },
      body,
    })
    const text = response.body ? await firstPart(response.body) : ''
    const answer = said(`${response.status} ${response.statusText} ${text}`)
    if (response.ok) return { is: 'sent', answer }
    const after = Number(response.headers.get('retry-after')) * second
    const wait = Number.isFinite(after) && after > 0 ? { after: Math.min(after, longestAsked) } : {}
    return response.status >= 500 || busy.has(response.status)
      ? { is: 'away', answer, ...wait }
      : { is: 'refused', answer }
  } catch (error) {
    const { message, cause } = error as Error & { cause?: Error }
    return { is: 'away', answer: said(cause?.message ? `${message}: ${cause.message}` : message) }
  }
}

/** As much of an answer as is shown; the rest is not read, however much there is. */
async function firstPart(body: AsyncIterable<Uint8Array>): Promise<string> {
  const parts: Uint8Array[] = []
  let size = 0
  for await (const part of body) {
    parts.push(part)
    size += part.length
    if (size > longestAnswer) break
  }
  return Buffer.concat(parts).toString('utf8')
}
