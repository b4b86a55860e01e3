import { createServer } from 'node:http'
import { mailMoods, StandInMailServer, type MailMood, type ReceivedMail } from './mailServer'
import { receiverMoods, StandInReceiver, type ReceiverMood } from './receiver'

/**
 * Where the messages of the demo end: a mail server and a system with a webhook, on loopback, with a page that shows
 * what came and makes them misbehave. Words: the port of the page, the port for SMTP.
 */
const [pagePort = '7704', smtpPort = '7705'] = process.argv.slice(2)
const mail = new StandInMailServer()
const receiver = new StandInReceiver()

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

await mail.open(Number(smtpPort))
createServer((request, response) => {
  if (request.method === 'POST' && request.url === '/hook') return void receiver.take(request, response)
  if (request.method === 'POST' && request.url === '/mood') {
    let text = ''
    request.on('data', (chunk: Buffer) => {
      if (text.length < 1000) text += chunk.toString()
    })
    request.on('end', () => {
      const form = new URLSearchParams(text)
      const [wanted, hook] = [form.get('mail server'), form.get('webhook')]
      if (mailMoods.includes(wanted as MailMood)) mail.mood = wanted as MailMood
      if (receiverMoods.includes(hook as ReceiverMood)) receiver.mood = hook as ReceiverMood
      response.writeHead(303, { location: '/' }).end()
    })
    return
  }
  if (request.url === '/') return void response.writeHead(200, { 'content-type': 'text/html' }).end(page())
  response.writeHead(404).end()
}).listen(Number(pagePort), '127.0.0.1')
