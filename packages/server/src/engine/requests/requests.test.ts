import { createConnection } from 'node:net'
import { createTransport } from 'nodemailer'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { AlertView, Inbox, MailAside, RequestPage, RequestPart } from '#contract'
import { hour, minute } from '#core'
import { StandInMailServer } from '../../../../standins/src/messages/mailServer'
import { rows } from '../../db'
import { allJobs } from '../../jobs'
import { assignFromLibrary, openHouse, type House } from '../../testing/house'
import { openMailPort, type MailPort } from './mailPort'

// Mails that nodemailer writes, over a real port; what leaves is read by mailparser in a mail server of its own.
let house: House
let port: MailPort
const theirs = new StandInMailServer()
const help = 'help@lanternfield.example'

beforeAll(async () => {
  house = await openHouse()
  port = await openMailPort(house.pool, { port: 0, host: '127.0.0.1' }, { name: 'custode.lanternfield.example' })
  const smtp = await theirs.open()
  await ok(
    house.lead('PUT', '/api/ways/mail', {
      host: '127.0.0.1',
      port: smtp,
      security: 'none',
      username: '',
      sender: 'custode@lanternfield.example',
    }),
  )
  await ok(house.lead('PUT', '/api/ways/gathering', { gather: 0, mostAnHour: 500 }))
  await ok(house.lead('PUT', '/api/inbox', { addresses: [help] }))
  await ok(house.lead('PUT', `/api/clients/${house.clients[0]}`, { mailDomains: ['tidemill.example'] }))
})
afterAll(async () => {
  await port.close()
  await house.close()
  await theirs.close()
})
beforeEach(async () => {
  // Nobody is a flood because of the tests before.
  await house.pool.query(`update request_mail set came_at = came_at - interval '2 hours'`)
  theirs.received.length = 0
  theirs.mood = 'well'
})

async function ok<T>(asked: Promise<{ status: number; body: unknown }>): Promise<T> {
  const { status, body } = await asked
  if (status !== 200) throw new Error(`${status} ${(body as { detail?: string }).detail}`)
  return body as T
}

type Mail = Parameters<ReturnType<typeof createTransport>['sendMail']>[0]
const odile = '"Odile Marrek" <odile@tidemill.example>'
function send(mail: Mail, at = port.port) {
  const line = createTransport({ host: '127.0.0.1', port: at, ignoreTLS: true })
  return line.sendMail({ from: odile, to: help, subject: 'printer', text: 'It prints nothing.', ...mail })
}
const list = (status = 'open', by = house.lead) =>
  ok<RequestPart>(by('GET', `/api/requests?status=${status}&limit=500`)).then((part) => part.rows)
const page = (id: number, by = house.lead) => ok<RequestPage>(by('GET', `/api/requests/${id}`))
/** Sends a mail and returns the request that it began. */
async function asked(mail: Mail): Promise<RequestPage> {
  await send(mail)
  return page((await list()).at(-1)!.id)
}
const act = (id: number, what: object, by = house.lead) => ok<RequestPage>(by('POST', `/api/requests/${id}/acts`, what))
const aside = () => ok<MailAside[]>(house.lead('GET', '/api/mail-aside')).then((mails) => mails[0]!)
async function settle(): Promise<void> {
  const jobs = allJobs(house.pool, house.sending)
  for (const name of ['call-outs', 'messages']) await jobs.find((job) => job.name === name)!.work(Date.now())
}

describe('a mail that somebody of a client writes', () => {
  it('is a request of the client whose domain it comes from, with all that it says', async () => {
    const request = await asked({
      subject: 'The printer – größer als gedacht',
      text: 'Good morning,\n\nit prints nothing.\n',
      attachments: [{ filename: 'screen.png', content: Buffer.from([0x89, 0x50, 0x4e, 0x47]) }],
    })
    expect(request).toMatchObject({
      clientName: 'Tidemill Ferries',
      fromName: 'Odile Marrek',
      fromAddress: 'odile@tidemill.example',
      subject: 'The printer – größer als gedacht',
      status: 'open',
    })
    const [entry] = request.entries
    expect(entry).toMatchObject({ event: 'came', mail: { text: 'Good morning,\n\nit prints nothing.', isCut: false } })
    expect(entry!.mail!.attachments).toEqual([{ name: 'screen.png', type: 'image/png', bytes: 4 }])
    const file = await house.app.inject({
      url: `/api/request-files/${entry!.mail!.id}?n=0`,
      headers: { cookie: (await house.personWith('technician', null)).cookie },
    })
    expect([...file.rawPayload]).toEqual([0x89, 0x50, 0x4e, 0x47])
    expect(file.headers['content-disposition']).toBe(`attachment; filename*=UTF-8''screen.png`)
    expect(file.headers['content-type']).toBe('application/octet-stream')
    const { cookie } = await house.personWith('technician', null)
    const whole = await house.app.inject({ url: `/api/request-files/${entry!.mail!.id}`, headers: { cookie } })
    expect(whole.payload).toContain('Content-Type: multipart/mixed')
    expect(whole.payload).toContain('screen.png')
  })

  it('is known by a contact before it is by a domain; where two clients know an address, it is nobody’s yet', async () => {
    const [one, two] = house.clients
    await ok(
      house.technician('POST', `/api/clients/${two}/contacts`, {
        name: 'Bo',
        email: 'Bo@tidemill.example',
        phone: '+1',
        note: 'tills',
      }),
    )
    const known = await asked({ from: 'bo@TIDEMILL.example' })
    expect(known).toMatchObject({ clientName: 'Brindle Bakeries', contact: { name: 'Bo', phone: '+1', note: 'tills' } })
    await ok(house.technician('POST', `/api/clients/${one}/contacts`, { name: 'Bo', email: 'bo@tidemill.example' }))
    expect((await asked({ from: 'bo@tidemill.example', text: 'again' })).clientId).toBeNull()
    expect((await asked({ from: 'somebody@elsewhere.example' })).clientName).toBe('')
  })

  it('comes once, however often it is sent, and is another one where only its number is the same', async () => {
    const before = (await list()).length
    for (let i = 0; i < 3; i++) await send({ subject: 'once', messageId: '<once@tidemill.example>' })
    await send({ subject: 'another', messageId: '<once@tidemill.example>' })
    expect((await list()).slice(before).map(({ subject }) => subject)).toEqual(['once', 'another'])
  })

  it('goes to the request that it answers, and opens it again', async () => {
    const { id } = await asked({ subject: 'first', messageId: '<first@tidemill.example>' })
    await act(id, { do: 'take' })
    await send({ subject: 'Re: first', text: 'It works again.', inReplyTo: '<first@tidemill.example>' })
    expect(await page(id)).toMatchObject({ mails: 2, status: 'taken', takenBy: 'Lead' })
    await act(id, { do: 'close' })
    await send({ subject: 'Re: first', text: 'No, it does not.', references: '<x@y> <first@tidemill.example>' })
    const again = await page(id)
    expect(again).toMatchObject({ mails: 3, status: 'open', takenBy: null })
    expect(again.entries.map(({ event }) => event)).toEqual(['came', 'taken', 'came', 'closed', 'came', 'reopened'])
    // Somebody else who knows the number of a mail does not get into what others write.
    await send({ from: 'x@elsewhere.example', subject: 'mine', inReplyTo: '<first@tidemill.example>' })
    expect((await page(id)).mails).toBe(3)
  })
})

describe('what is done with a request', () => {
  it('is answered by mail from the address of the house, as an answer to theirs, and their answer comes back to it', async () => {
    const { id } = await asked({ subject: 'scanner', messageId: '<scan@tidemill.example>', text: 'Where is it?\nBo' })
    const answered = await ok<RequestPage>(
      house.technician('POST', `/api/requests/${id}/answers`, { text: 'In the store room.' }),
    )
    expect(answered).toMatchObject({ status: 'taken', takenBy: 'Tech' })
    expect(answered.entries.at(-1)).toMatchObject({ event: 'answered', left: { state: 'waiting' } })
    await settle()
    const [mail] = theirs.received
    expect(mail).toMatchObject({ from: help, to: ['odile@tidemill.example'], subject: 'Re: scanner' })
    expect(mail!.text).toMatch(/^In the store room\.\n\nTech\n\nOn .*, Odile Marrek wrote:\n> Where is it\?\n> Bo/)
    expect(mail!.references).toEqual(['<scan@tidemill.example>'])
    expect(mail!.headers.get('in-reply-to')).toBe('<scan@tidemill.example>')
    // A person wrote it: whoever is away may answer so (RFC 3834).
    expect(mail!.headers.has('auto-submitted')).toBe(false)
    expect((await page(id)).entries.at(-1)!.left!.state).toBe('sent')
    // From another address of theirs: only whoever got the answer knows its number.
    await send({ from: 'odile.home@elsewhere.example', subject: 'Re: scanner', inReplyTo: mail!.messageId })
    expect((await page(id)).mails).toBe(2)
  })

  it('goes where they want it', async () => {
    const { id } = await asked({ subject: 'form', replyTo: 'counter@tidemill.example' })
    await ok(house.technician('POST', `/api/requests/${id}/answers`, { text: 'Yes.' }))
    await settle()
    expect(theirs.received[0]!.to).toEqual(['counter@tidemill.example'])
  })

  it('an answer that comes back is told at the request, which is open again', async () => {
    const { id } = await asked({ subject: 'gone' })
    await ok(house.technician('POST', `/api/requests/${id}/answers`, { text: 'Done.', close: true }))
    await settle()
    expect((await page(id)).status).toBe('closed')
    // As RFC 3464 has it, with the mail that it is about as its third part.
    await send({
      raw: [
        'From: Mail Delivery <MAILER-DAEMON@tidemill.example>',
        `To: ${help}`,
        'Subject: Undelivered',
        'Content-Type: multipart/report; report-type=delivery-status; boundary="b"',
        '',
        '--b',
        '',
        'No such person.',
        '--b',
        'Content-Type: message/delivery-status',
        '',
        'Final-Recipient: rfc822; odile@tidemill.example',
        'Action: failed',
        'Status: 5.1.1',
        '',
        '--b',
        'Content-Type: message/rfc822',
        '',
        `Message-ID: ${theirs.received[0]!.messageId}`,
        '',
        '--b--',
      ].join('\r\n'),
      envelope: { from: '', to: [help] },
    })
    const after = await page(id)
    expect(after.status).toBe('open')
    expect(after.entries.find(({ event }) => event === 'answered')!.left).toMatchObject({ state: 'failed' })
    expect(after.entries.at(-2)).toMatchObject({ event: 'bounce', mail: { became: 'bounce' } })
  })

  it('an answer waits for a mail server that is away, and leaves as it was written', async () => {
    const { id } = await asked({ subject: 'away' })
    theirs.mood = 'busy'
    await ok(house.technician('POST', `/api/requests/${id}/answers`, { text: 'Kept.' }))
    await settle()
    expect((await page(id)).entries.at(-1)!.left).toMatchObject({ state: 'waiting' })
    theirs.mood = 'well'
    await house.pool.query(`update callout_message set next_at = now() where state = 'waiting'`)
    await settle()
    expect(theirs.received[0]!.text).toMatch(/^Kept\./)
    expect((await page(id)).entries.at(-1)!.left!.state).toBe('sent')
  })

  it('is taken, handed over and accepted, put off until its time, noted and closed', async () => {
    const { id } = await asked({ subject: 'all of it' })
    const ines = await house.personWith('technician', null)
    await act(id, { do: 'hand-over', personId: ines.id, text: 'you know it' })
    expect(await page(id)).toMatchObject({ offeredToId: ines.id, offeredWord: 'you know it', status: 'open' })
    expect((await house.technician('POST', `/api/requests/${id}/acts`, { do: 'decline' })).status).toBe(400)
    await act(id, { do: 'take' }, ines.ask)
    await act(id, { do: 'hide', until: Date.now() + hour })
    await act(id, { do: 'give-back' }, ines.ask)
    expect((await list()).some((request) => request.id === id)).toBe(false)
    // By more than what a clock that counts in milliseconds cuts off.
    await house.pool.query(`update request set hidden_until = now() - interval '1 second' where id = $1`, [id])
    await allJobs(house.pool, house.sending)
      .find(({ name }) => name === 'hidden requests')!
      .work(Date.now())
    expect((await list()).some((request) => request.id === id)).toBe(true)
    await act(id, { do: 'note', text: 'called her' })
    await act(id, { do: 'close' })
    expect((await house.lead('POST', `/api/requests/${id}/acts`, { do: 'take' })).status).toBe(400)
    expect((await page(id)).entries.map(({ event, by }) => `${event} ${by ?? ''}`.trim())).toEqual([
      'came',
      'handed-over Lead',
      expect.stringMatching(/^taken /),
      'hidden Lead',
      expect.stringMatching(/^given-back /),
      'shown',
      'note Lead',
      'closed Lead',
    ])
  })

  it('is joined to an alert or a device of its client, and of no other; another client ends that', async () => {
    await assignFromLibrary(house, 'Base server')
    const [ours, other] = [
      await house.enrol(house.sites[0], 'tm-print-1'),
      await house.enrol(house.sites[1], 'bb-print-1'),
    ]
    const stopped = {
      facts: { services: [{ name: 'cups', title: '', start: 'automatic' as const, state: 'stopped' as const }] },
    }
    await ours.send([ours.report(1, stopped), ours.report(2), ours.report(3)])
    const [alert] = await ok<AlertView[]>(house.lead('GET', `/api/devices/${ours.id}/alerts`))
    const { id } = await asked({ subject: 'join' })
    const join = (body: object) => house.technician('PUT', `/api/requests/${id}/about`, body)
    expect(await ok<RequestPage>(join({ alertId: alert!.id }))).toMatchObject({
      alertId: alert!.id,
      deviceName: 'tm-print-1',
    })
    expect((await join({ deviceId: other.id })).body.code).toBe('no-such-device')
    expect(await ok<RequestPage>(join({ deviceId: ours.id }))).toMatchObject({ alertId: null, deviceId: ours.id })
    const placed = await ok<RequestPage>(
      house.technician('PUT', `/api/requests/${id}/client`, { clientId: house.clients[1] }),
    )
    expect(placed).toMatchObject({ clientId: house.clients[1], deviceId: null })
  })

  it('whose it is can be said once for all that they write', async () => {
    const { id } = await asked({ from: '"Nell" <nell@new.example>', subject: 'hello' })
    await ok(house.technician('PUT', `/api/requests/${id}/client`, { clientId: house.clients[1], remember: true }))
    expect((await asked({ from: 'nell@new.example', text: 'more' })).clientName).toBe('Brindle Bakeries')
  })
})

describe('who hears of it', () => {
  it('whom a rule about mail names, once nobody took it for half an hour, and the lead after 40 minutes more', async () => {
    const people = await ok<{ id: number; name: string }[]>(house.lead('GET', '/api/people'))
    const tech = people.find(({ name }) => name === 'Tech')!.id
    const { id: ruleId } = await ok<{ id: number }>(
      house.lead('POST', '/api/callouts', {
        name: 'Mail',
        rule: {
          about: 'mail',
          target: { on: 'client', clientId: house.clients[0] },
          severities: ['critical'],
          families: null,
          causes: null,
          hours: '',
          outside: 'later',
          tell: [{ to: 'person', id: tech }],
          after: 30 * minute,
          again: null,
          escalate: { after: 40 * minute, tell: [{ to: 'leads' }] },
          remindAfter: 24 * hour,
          sayWell: false,
        },
      }),
    )
    const pass = async (id: number, time: number) => {
      await house.pool.query(
        `update request set came_at = came_at - make_interval(secs => $2::float8 / 1000) where id = $1`,
        [id, time],
      )
      await house.pool.query(
        `update callout_revision set saved_at = saved_at - make_interval(secs => $1::float8 / 1000)`,
        [time],
      )
      await house.pool.query('update callout_due set due_at = now()')
      await house.pool.query('update callout_step set at = at - make_interval(secs => $1::float8 / 1000)', [time])
      await settle()
    }
    const { id } = await asked({ subject: 'told' })
    const other = await asked({ from: 'x@elsewhere.example', subject: 'not told' })
    await pass(id, 29 * minute)
    expect(theirs.received).toEqual([])
    await pass(id, 2 * minute)
    expect(theirs.received.map(({ subject, to }) => `${to.join()} ${subject}`)).toEqual([
      expect.stringMatching(/New: Odile Marrek asks: told – Tidemill Ferries$/),
    ])
    expect(theirs.received[0]!.text).toContain(`/requests/${id}?do=take`)
    await pass(id, 40 * minute)
    expect(theirs.received[1]!.subject).toMatch(/^Nobody took it: Odile Marrek asks: told/)
    await act(id, { do: 'take' })
    await pass(id, 8 * hour)
    expect(theirs.received).toHaveLength(2)
    const callouts = await ok<{ said: { step: string }[] }>(house.lead('GET', `/api/requests/${id}/callouts`))
    expect(callouts.said.map(({ step }) => step)).toEqual(['escalate', 'tell'])
    expect(
      await rows(house.pool, 'select from callout_step where request_id = $1', [other.id]),
      'of another client',
    ).toEqual([])
    await ok(house.lead('DELETE', `/api/callouts/${ruleId}`))
  })
})

describe('what may do harm', () => {
  const asideOf = async (mail: Mail) => {
    const before = (await list()).length
    await send(mail)
    expect(await list()).toHaveLength(before)
    return (await aside()).became
  }
  it('no mail is taken for another address, nor handed on', async () => {
    await expect(send({ to: 'somebody@elsewhere.example' })).rejects.toThrow(/550/)
  })
  it('what a program wrote is set aside with its reason; a lead can make a request of it all the same', async () => {
    expect(await asideOf({ headers: { 'Auto-Submitted': 'auto-replied' } })).toBe('auto-reply')
    expect(await asideOf({ subject: 'away', headers: { Precedence: 'auto_reply' } })).toBe('auto-reply')
    expect(await asideOf({ subject: 'news', headers: { 'List-Id': '<news.tidemill.example>' } })).toBe('list')
    expect(await asideOf({ subject: 'no path', envelope: { from: '', to: [help] } })).toBe('bounce')
    expect(await asideOf({ subject: 'own', from: 'custode@lanternfield.example' })).toBe('loop')
    expect(await asideOf({ subject: 'own', from: help })).toBe('loop')
    const hops = Array.from({ length: 60 }, (_, i) => `Received: from a${i}.example by b.example`).join('\r\n')
    expect(
      await asideOf({
        raw: `${hops}\r\nFrom: ${odile}\r\nSubject: round\r\n\r\nx`,
        envelope: { from: 'o@x.example', to: [help] },
      }),
    ).toBe('loop')
    const { id } = await aside()
    const made = await ok<RequestPage>(house.lead('POST', `/api/mail-aside/${id}/request`))
    expect(made).toMatchObject({ subject: 'round', clientName: 'Tidemill Ferries' })
    expect((await house.lead('POST', `/api/mail-aside/${id}/request`)).status).toBe(404)
    expect((await house.technician('GET', '/api/mail-aside')).status).toBe(403)
  })
  it('two machines that answer each other end after twenty mails, which are kept', async () => {
    const before = (await list()).length
    for (let i = 0; i < 25; i++) await send({ from: 'robot@machine.example', subject: `echo ${i}` })
    expect((await list()).length - before).toBe(20)
    expect(await aside()).toMatchObject({ became: 'flood', subject: 'echo 24' })
  })
  it('of what nobody is to answer no more is kept within an hour than somebody could look through', async () => {
    const robot = { headers: { 'Auto-Submitted': 'auto-generated' } }
    await house.pool.query(
      `insert into request_mail (digest, from_name, from_address, subject, message_id, became, text, raw)
       select sha256(n::text::bytea), '', 'r@x.example', '', '', 'auto-reply', '', '' from generate_series(1, 1000) n`,
    )
    await expect(send({ ...robot, subject: 'one more' })).rejects.toThrow(/452/)
    expect((await asked({ subject: 'of a person' })).subject).toBe('of a person')
  })
  it('what is larger than is taken is refused, and the sender hears why', async () => {
    const small = await openMailPort(house.pool, { port: 0, host: '127.0.0.1' }, { name: 'x', size: 100_000 })
    await expect(send({ text: 'x'.repeat(200_000) }, small.port)).rejects.toThrow(/552/)
    await small.close()
  })
  it('while the database is away the sender is asked to try again, and then it comes', async () => {
    await house.pool.query('alter table request_mail rename to request_mail_away')
    await expect(send({ subject: 'later' })).rejects.toThrow(/451/)
    await house.pool.query('alter table request_mail_away rename to request_mail')
    expect((await asked({ subject: 'later' })).subject).toBe('later')
  })
  const raw = (lines: string[]) => ({ raw: lines.join('\r\n'), envelope: { from: 'o@tidemill.example', to: [help] } })
  it('malformed mails are kept as far as they can be read', async () => {
    const nul = await asked(raw([`From: ${odile}`, 'Subject: a\0b =?utf-8?Q?=ED=A0=80?=', '', 'c\0d']))
    expect([nul.subject.includes('\0'), nul.entries[0]!.mail!.text]).toEqual([false, 'cd'])
    const none = await asked(raw(['', 'only a body']))
    expect(none).toMatchObject({ subject: '', fromAddress: 'o@tidemill.example' })
    const long = await asked(raw([`From: ${odile}`, `Subject: ${'x'.repeat(900)}`, '', 'y'.repeat(900)]))
    expect(long.subject).toHaveLength(300)
    const html = await asked({
      subject: 'html',
      text: '',
      html: '<p>One &amp; two</p><script>alert(1)</script><img src="http://x.example/t.png">',
    })
    expect(html.entries[0]!.mail!.text).toMatch(/^One & two(?![^]*alert)/)
  })
  it('what the database would not take costs itself alone: it is kept, and its sender does not send it for ever', async () => {
    // Half of a pair is left where a name is cut; a Message-ID is longer than an index takes.
    const cut = await asked({
      subject: 'cut',
      attachments: [{ filename: `${'a'.repeat(199)}😀.txt`, content: 'x' }],
    })
    expect(cut.entries[0]!.mail!.attachments[0]!.name).toHaveLength(200)
    const id = Array.from({ length: 890 }, (_, i) => String.fromCodePoint(0x4e00 + ((i * 7919) % 20000))).join('')
    expect((await asked(raw([`From: ${odile}`, `Message-ID: <${id}@x>`, 'Subject: long id', '', 'x']))).subject).toBe(
      'long id',
    )
    await house.pool.query(`alter table request add constraint cursed check (subject <> 'cursed')`)
    await send({ subject: 'cursed' })
    expect(await aside()).toMatchObject({ became: 'unreadable', fromAddress: 'odile@tidemill.example' })
    await house.pool.query('alter table request drop constraint cursed')
  })
  it('a mail that is made to cost much costs little', async () => {
    const unreadable = async () =>
      (await rows(house.pool, `select from request_mail where became = 'unreadable'`)).length
    const before = await unreadable()
    const began = performance.now()
    const deep = Array.from(
      { length: 3000 },
      (_, i) => `Content-Type: multipart/mixed; boundary="b${i}"\r\n\r\n--b${i}`,
    )
    await send(raw([`From: ${odile}`, 'Subject: deep', ...deep, '', 'x']))
    await send(raw([`From: ${odile}`, 'Subject: tags', 'Content-Type: text/html', '', '<div>'.repeat(150_000)]))
    await send(raw([`From: ${odile}`, 'Subject: refs', `References: ${'<a@b> '.repeat(100_000)}`, '', 'x']))
    await send(raw([`From: ${odile}`, `Subject: words`, '', `${'a@'.repeat(200_000)}`]))
    // What cannot be read is kept all the same.
    expect((await unreadable()) - before).toBe(1)
    // What others wait for meanwhile: a mail of theirs.
    expect((await asked({ subject: 'behind them' })).subject).toBe('behind them')
    expect(performance.now() - began).toBeLessThan(30_000)
  })
  it('who speaks something else, or nothing, keeps nobody from writing', async () => {
    const sockets = Array.from({ length: 5 }, () => createConnection(port.port, '127.0.0.1'))
    for (const socket of sockets) {
      socket.on('error', () => undefined)
      socket.write('GET / HTTP/1.1\r\n\r\n\0\0\0')
    }
    expect((await asked({ subject: 'among noise' })).subject).toBe('among noise')
    for (const socket of sockets) socket.destroy()
  })
})

describe('who may see it', () => {
  it('whoever sees the client, and of nobody’s only who sees all', async () => {
    const limited = await house.personWith('technician', [house.clients[1]])
    const tidemill = await asked({ subject: 'tidemill secret' })
    const nobodys = await asked({ from: 'x@elsewhere.example', subject: 'nobody’s' })
    expect((await list('open', limited.ask)).some(({ id }) => id === tidemill.id || id === nobodys.id)).toBe(false)
    for (const { id } of [tidemill, nobodys]) {
      expect((await limited.ask('GET', `/api/requests/${id}`)).status).toBe(404)
      expect((await limited.ask('POST', `/api/requests/${id}/acts`, { do: 'take' })).status).toBe(404)
      expect((await limited.ask('POST', `/api/requests/${id}/answers`, { text: 'x' })).status).toBe(404)
      expect((await limited.ask('PUT', `/api/requests/${id}/client`, { clientId: house.clients[1] })).status).toBe(404)
    }
    const mailId = tidemill.entries[0]!.mail!.id
    expect((await limited.ask('GET', `/api/request-files/${mailId}?n=0`)).status).toBe(404)
    expect((await house.contact('GET', '/api/requests')).status).toBe(403)
    // Handed to somebody who may not see it.
    const body = { do: 'hand-over', personId: limited.id }
    expect((await house.lead('POST', `/api/requests/${tidemill.id}/acts`, body)).status).toBe(400)
  })
  it('of a request that went to another client its people do not read what it was joined to before', async () => {
    const there = await house.personWith('technician', [house.clients[1]])
    const device = await house.enrol(house.sites[0], 'tm-hidden-1')
    const { id } = await asked({ subject: 'whose' })
    await ok(house.lead('PUT', `/api/requests/${id}/about`, { deviceId: device.id }))
    await ok(house.lead('PUT', `/api/requests/${id}/client`, { clientId: house.clients[0] }))
    await ok(house.lead('PUT', `/api/requests/${id}/client`, { clientId: house.clients[1] }))
    const seen = await page(id, there.ask)
    expect(seen.entries.map(({ event, name }) => `${event} ${name}`.trim())).toEqual([
      'came',
      'joined',
      'placed',
      'placed Brindle Bakeries',
    ])
  })
  it('says where mail is taken, by which process', async () => {
    const jobs = allJobs(house.pool, house.sending, {
      id: '5f5f6bd0-9f7c-4c6b-8a53-0d5a2b8f7c03',
      name: 'one',
      version: '',
      mailPort: port.port,
    })
    await jobs.find(({ name }) => name === 'process')!.work(Date.now())
    const inbox = await ok<Inbox>(house.lead('GET', '/api/inbox'))
    expect(inbox).toMatchObject({ addresses: [help], ports: [{ name: 'one', port: port.port }] })
  })
})

describe('what did not come by mail', () => {
  it('a program that may only report in makes a request, once under its key, and reads nothing', async () => {
    const { token } = await ok<{ token: string }>(
      house.technician('POST', '/api/tokens', { name: 'Backup', scope: 'report-in', clientIds: null, days: 1 }),
    )
    const by = { authorization: `Bearer ${token}` }
    const [clientId] = house.clients
    const report = (more: object = {}) =>
      house.nobody<{ id: number }>('POST', '/api/requests', { clientId, subject: 'no backup', ...more }, by)
    const first = await report({ key: 'backup', text: 'night 1' })
    expect([first.status, (await report({ key: 'backup', text: 'night 2' })).body.id]).toEqual([200, first.body.id])
    const request = await page(first.body.id)
    expect(request).toMatchObject({ subject: 'no backup', fromName: 'Backup', status: 'open' })
    expect(request.entries.map(({ event, text }) => `${event} ${text}`)).toEqual([
      'reported night 1',
      'reported night 2',
    ])
    await act(request.id, { do: 'close' })
    expect((await report({ key: 'backup' })).body.id).not.toBe(first.body.id)
    for (const path of ['/api/requests', '/api/rounds', '/api/devices', `/api/requests/${request.id}`])
      expect([path, (await house.nobody('GET', path, undefined, by)).status]).toEqual([path, 403])
    expect((await house.nobody('POST', `/api/requests/${request.id}/acts`, { do: 'take' }, by)).status).toBe(403)
    expect((await report({ clientId: 2_000_000 })).body.code).toBe('no-such-client')
    // There is nobody to answer by mail.
    expect((await house.lead('POST', `/api/requests/${first.body.id}/answers`, { text: 'x' })).status).toBe(400)
  })
})
