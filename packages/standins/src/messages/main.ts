import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import { createTransport } from 'nodemailer'
import { mailMoods, StandInMailServer, type MailMood, type ReceivedMail } from './mailServer'
import { receiverMoods, StandInReceiver, type ReceiverMood } from './receiver'

/**
 * Where the messages of the demo end: a mail server and a system with a webhook, on loopback, with a page that shows
 * what came, makes them misbehave, and writes as somebody of a client. Words: the port of the page, the port for
 * SMTP, and that at which the server takes mail.
 */
const [pagePort = '7704', smtpPort = '7705', inboxPort = '7706'] = process.argv.slice(2)
const inbox = createTransport({ host: '127.0.0.1', port: Number(inboxPort), ignoreTLS: true })
const mail = new StandInMailServer()
const receiver = new StandInReceiver()

let written = ''

const marks: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' }
const escaped = (text: string) => text.replace(/[&<>"]/g, (sign) => marks[sign]!)
const clock = (at: number) => new Date(at).toISOString().slice(11, 19)

function choice(name: string, moods: readonly string[], now: string): string {
  return `<form method="post" action="/mood"><label>${name} <select name="${name}" onchange="this.form.submit()">${moods
    .map((mood) => `<option${mood === now ? ' selected' : ''}>${mood}</option>`)
    .join('')}</select></label><noscript><button>Set</button></noscript></form>`
}

function mailText({ at, to, subject, text, messageId }: ReceivedMail): string {
  return `<details><summary>${clock(at)} to <b>${escaped(to.join(', '))}</b>: ${escaped(subject)}</summary><pre>${escaped(
    text,
  ).replace(
    /https?:\/\/[^\s<]+/g,
    (url) => `<a href="${url}">${url}</a>`,
  )}</pre><small>${escaped(messageId)}</small></details>`
}

const page =
  () => `<!doctype html><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Messages of the demo</title><style>
    body{font:14px/20px sans-serif;margin:20px;background:#f4efe6;color:#1b2430}form{display:inline;margin-right:24px}details{border-top:1px solid #ddd5c6;padding:6px 0}
    pre{white-space:pre-wrap;overflow-wrap:anywhere;background:#fff;padding:8px 12px}small{color:#616b76}</style>
    <h1>Messages of the demo</h1><p>Nothing of this leaves the machine. Times are UTC.</p>
    <p>${choice('mail server', mailMoods, mail.mood)}${choice('webhook', receiverMoods, receiver.mood)}</p>
    <h2>Write to Custode</h2><p>${written}</p><form method="post" action="/write"><p>From <input name="from" size="40" value="Odile Marrek &lt;harbour@tidemill.example&gt;"> Subject <input name="subject" size="40"></p>
    <p><textarea name="text" rows="4" cols="90"></textarea></p><p>in answer to <select name="answers"><option value="">nothing</option>${mail.received
      .toReversed()
      .slice(0, 20)
      .map(
        ({ messageId, subject }) => `<option value="${escaped(messageId)}">${escaped(subject.slice(0, 70))}</option>`,
      )
      .join('')}</select> <button>Send</button></p></form>
    <h2>Mail (${mail.received.length})</h2>${mail.received.toReversed().map(mailText).join('') || '<p>Nothing yet.</p>'}
    <h2>Webhook (${receiver.received.length})</h2>${
      receiver.received
        .toReversed()
        .map(
          ({ at, body }) =>
            `<details><summary>${clock(at)} ${escaped(body.slice(0, 160))}</summary><pre>${escaped(body)}</pre></details>`,
        )
        .join('') || '<p>Nothing yet.</p>'
    }`

function readForm(request: IncomingMessage, use: (form: URLSearchParams) => void): void {
  let text = ''
  request.on('data', (chunk: Buffer) => {
    if (text.length < 100_000) text += chunk.toString()
  })
  request.on('end', () => use(new URLSearchParams(text)))
}
const back = (response: ServerResponse) => void response.writeHead(303, { location: '/' }).end()

function setMoods(form: URLSearchParams, response: ServerResponse): void {
  const [wanted, hook] = [form.get('mail server'), form.get('webhook')]
  if (mailMoods.includes(wanted as MailMood)) mail.mood = wanted as MailMood
  if (receiverMoods.includes(hook as ReceiverMood)) receiver.mood = hook as ReceiverMood
  back(response)
}

/** As somebody of a client would, from their own reader. */
function write(form: URLSearchParams, response: ServerResponse): void {
  const field = (name: string) => form.get(name) ?? ''
  const answers = field('answers')
  inbox
    .sendMail({
      from: field('from'),
      to: 'help@lanternfield.example',
      subject: field('subject'),
      text: field('text'),
      ...(answers ? { inReplyTo: answers, references: answers } : {}),
    })
    .then(
      ({ response: answer }) => {
        written = `It was taken: ${escaped(answer)}`
      },
      (error: unknown) => {
        written = `It was not taken: ${escaped(String(error))}`
      },
    )
    .finally(() => back(response))
}

await mail.open(Number(smtpPort))
createServer((request, response) => {
  if (request.method === 'POST' && request.url === '/hook') return void receiver.take(request, response)
  if (request.method === 'POST' && request.url === '/mood') return readForm(request, (form) => setMoods(form, response))
  if (request.method === 'POST' && request.url === '/write') return readForm(request, (form) => write(form, response))
  if (request.url === '/') return void response.writeHead(200, { 'content-type': 'text/html' }).end(page())
  response.writeHead(404).end()
}).listen(Number(pagePort), '127.0.0.1')
