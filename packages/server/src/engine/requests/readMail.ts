import { simpleParser, type AddressObject, type ParsedMail } from 'mailparser'
import type { MailSigns } from '#core'
import { wellFormed } from '../../http/wellFormed'

export interface MailAttachment {
  name: string
  type: string
  bytes: number
}
/** What is read of a mail. Texts are bounded and made well-formed: whoever writes one decides what is in it. */
export interface ReadMail {
  signs: MailSigns
  fromName: string
  fromAddress: string
  /** Where they want an answer to go (RFC 5322, section 3.6.2); '': to whom it is from. */
  replyTo: string
  subject: string
  text: string
  isCut: boolean
  attachments: MailAttachment[]
  /** Without angle brackets; '': it has none. */
  messageId: string
  /** Message-IDs that it says it answers, the nearest last. */
  references: string[]
}

const longestText = 100_000
const longestLine = 300
/** HTML that is longer is not turned into text: that takes time which grows with it. */
const longestHtml = 1_000_000
const mostAttachments = 100
const mostReferences = 100

/** One line, as far as somebody reads. Made well-formed once it is cut, which may leave half of a pair. */
const line = (text: unknown, most = longestLine) =>
  wellFormed(
    (typeof text === 'string' ? text : '')
      .replace(/[\p{Cc}\s]+/gu, ' ')
      .trim()
      .slice(0, most),
  )

/** Control characters but line ends and tabs say nothing to a reader. */
const body = (text: string) =>
  wellFormed(text)
    .replace(/\r\n?/g, '\n')
    .replace(/[^\P{Cc}\n\t]/gu, '')
    .trim()

const first = (value: AddressObject | AddressObject[] | undefined) =>
  (Array.isArray(value) ? value[0] : value)?.value[0]

/** As it stands, without its value being understood. */
function headerText(headers: ParsedMail['headerLines'], name: string): string {
  const found = headers.find(({ key }) => key === name)
  return found ? line(found.line.slice(found.line.indexOf(':') + 1)) : ''
}

/** Longer ones than an index takes are as good as none; those of RFC 5322 have no such length. */
const idsOf = (text: string) => [...text.matchAll(/<([^<>\s]{1,300})>/g)].map((found) => found[1]!)

/**
 * Reads a mail as it came (RFC 5322, MIME). HTML becomes text; nothing that it refers to is fetched.
 *
 * @param returnPath of its envelope; '': none
 * @throws Error where it cannot be read
 */
export async function readMail(raw: Buffer, returnPath: string): Promise<ReadMail> {
  const parsed = await simpleParser(raw, {
    skipTextToHtml: true,
    skipTextLinks: true,
    skipImageLinks: true,
    maxHtmlLengthToParse: longestHtml,
  })
  const from = first(parsed.from)
  const header = (name: string) => headerText(parsed.headerLines, name)
  const whole = body(parsed.text ?? '')
  const text = whole.slice(0, longestText)
  const answered = [...idsOf(allOf(parsed, 'references')), ...idsOf(allOf(parsed, 'in-reply-to'))]
  return {
    signs: {
      returnPath,
      from: line(from?.address),
      autoSubmitted: header('auto-submitted'),
      precedence: header('precedence'),
      listId: header('list-id'),
      contentType: header('content-type'),
      hops: parsed.headerLines.filter(({ key }) => key === 'received').length,
    },
    fromName: line(from?.name, 100),
    fromAddress: line(from?.address || returnPath, 254),
    replyTo: line(first(parsed.replyTo)?.address, 254),
    subject: line(parsed.subject),
    text: wellFormed(text),
    isCut: whole.length > longestText,
    attachments: parsed.attachments.slice(0, mostAttachments).map(({ filename, contentType, size }) => ({
      name: line(filename, 200) || 'without a name',
      type: line(contentType, 100),
      bytes: size,
    })),
    messageId: idsOf(allOf(parsed, 'message-id'))[0] ?? '',
    references: answered.slice(-mostReferences),
  }
}

function allOf({ headerLines }: ParsedMail, name: string): string {
  return headerLines
    .filter(({ key }) => key === name)
    .map(({ line: text }) => wellFormed(text))
    .join(' ')
    .slice(0, 100_000)
}

export interface AttachedFile {
  name: string
  type: string
  content: Buffer
}

/** One attachment of a mail, by its place in the list. null: there is none */
export async function attachmentOf(raw: Buffer, n: number): Promise<AttachedFile | null> {
  const { attachments } = await simpleParser(raw, { skipTextToHtml: true, skipHtmlToText: true, skipImageLinks: true })
  const found = attachments[n]
  return found
    ? { name: line(found.filename, 200) || 'attachment', type: found.contentType, content: found.content }
    : null
}
