import {
  gatheringBodySchema,
  madeSchema,
  madeWebhookSchema,
  mailBodySchema,
  waysSchema,
  wayTestedSchema,
  webhookBodySchema,
  webhooksNamedSchema,
  type MailBody,
  type WayState,
  type Ways,
  type WebhookNamed,
} from '#contract'
import { randomBytes, randomUUID } from 'node:crypto'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../db'
import {
  calloutSettings,
  mailPasswordContext,
  MailLine,
  readMailSettings,
  sendEvent,
  testEvent,
  webhookContext,
  type Sending,
} from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { isLoopback } from '../../http/transport'
import { announce } from '../../live'
import { audit, mayChangeAll, type Viewer } from '../access'
import { requireUntold } from './teams'

/** How messages leave is the whole house’s. @throws ProblemError not-allowed */
function requireAll(viewer: Viewer): void {
  if (!mayChangeAll(viewer))
    throw new ProblemError('not-allowed', 'How messages leave is a matter of a lead of all clients.')
}

/** @throws ProblemError *invalid*: a password or what is told would cross the network in the open */
function refuseOpen({ host, security }: Pick<MailBody, 'host' | 'security'>): void {
  if (security === 'none' && !isLoopback(host))
    throw new ProblemError(
      'invalid',
      'Without TLS mail goes to this machine only: what it says could be read on the way. Choose TLS or STARTTLS.',
      [{ at: 'security', message: 'needs TLS' }],
    )
}

/** @throws ProblemError *invalid* */
function refusePlainUrl(text: string): void {
  const url = new URL(text)
  if (url.username || url.password)
    throw new ProblemError('invalid', 'Leave name and password out of the address; what is sent is signed.', [
      { at: 'url', message: 'holds a password' },
    ])
  if (url.protocol !== 'https:' && !isLoopback(url.hostname.replace(/[[\]]/g, '')))
    throw new ProblemError(
      'invalid',
      'Plain HTTP goes to this machine only: what is told could be read on the way. Use an https address.',
      [{ at: 'url', message: 'needs https' }],
    )
}

async function statesOf(db: Db): Promise<Map<string, WayState>> {
  const found = await rows<WayState & { way: string }>(
    db,
    `
    select w.way, w.failing_since as "failingSince", w.answer, w.answered_at as "answeredAt",
      (count(m) filter (where m.state in ('waiting', 'sending')))::int as waiting,
      (count(m) filter (where m.state = 'failed'))::int as failed
    from callout_way w
    left join callout_message m on m.state in ('waiting', 'sending', 'failed')
      and w.way = case when m.webhook_id is null then 'mail' else 'webhook ' || m.webhook_id end
    group by w.way`,
  )
  return new Map(found.map(({ way, ...state }) => [way, state]))
}

const unknown: WayState = { failingSince: null, answer: '', answeredAt: null, waiting: 0, failed: 0 }

export async function readWays(db: Db): Promise<Ways> {
  const mail = await firstRow<NonNullable<Ways['mail']>>(
    db,
    `select host, port, security, username, sender, password is not null as "hasPassword" from mail_settings`,
  )
  const webhooks = await rows<{ id: number; name: string; url: string }>(
    db,
    'select id, name, url from webhook where removed_at is null order by lower(name)',
  )
  const states = await statesOf(db)
  return {
    mail,
    mailState: states.get('mail') ?? unknown,
    webhooks: webhooks.map((webhook) => ({ ...webhook, ...(states.get(`webhook ${webhook.id}`) ?? unknown) })),
    gathering: await calloutSettings(db),
  }
}

const said = (tx: Db) => announce(tx, { topic: 'callouts', clientIds: null, deviceIds: [] })

/** Standard Webhooks 1.0: 24 to 64 random bytes, in base64, behind this prefix. */
const makeSecret = () => `whsec_${randomBytes(24).toString('base64')}`

/** What waits by a way leaves at once: whoever has just mended it wants to see it. */
async function tryNow(tx: Db, way: string): Promise<void> {
  await tx.query('update callout_way set next_at = now() where way = $1', [way])
}

async function saveMail(tx: Db, viewer: Viewer, body: MailBody, { vault }: Sending): Promise<{ id: number }> {
  refuseOpen(body)
  const { password, ...plain } = body
  const was = await firstRow<Record<string, unknown> & { host: string }>(
    tx,
    'select host, port, security, username, sender from mail_settings for update',
  )
  // A password is for the server that it was given for.
  const keeps = password === undefined && was?.host === body.host && was.username === body.username
  const sealed = password ? vault.seal(password, mailPasswordContext) : null
  await tx.query(
    `insert into mail_settings (host, port, security, username, password, sender) values ($1, $2, $3, $4, $5, $6)
     on conflict (one) do update set host = $1, port = $2, security = $3, username = $4,
       password = case when $7 then mail_settings.password else $5 end, sender = $6`,
    [body.host, body.port, body.security, body.username, sealed, body.sender, keeps],
  )
  await tryNow(tx, 'mail')
  await audit(tx, {
    personId: viewer.id,
    action: 'changed',
    kind: 'way',
    id: null,
    detail: { name: 'mail', ...plain, ...(password === undefined ? {} : { password: 'another one' }), was: was ?? {} },
  })
  said(tx)
  return { id: 1 }
}

export function wayRoutes(app: FastifyInstance, pool: Pool, sending: Sending): void {
  route(app, {
    method: 'GET',
    url: '/api/ways',
    access: 'lead',
    summary: 'How messages leave: mail, webhooks, how each does, and what is gathered',
    answer: waysSchema,
    handle: ({ viewer }) => {
      requireAll(viewer)
      return readWays(pool)
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/webhooks',
    access: 'technician',
    summary: 'Names of the webhooks that call-out rules can tell',
    answer: webhooksNamedSchema,
    handle: () =>
      rows<WebhookNamed>(pool, 'select id, name from webhook where removed_at is null order by lower(name)'),
  })
  route(app, {
    method: 'PUT',
    url: '/api/ways/mail',
    access: 'lead',
    summary: 'Say how mail leaves; the password is kept sealed, and never told again',
    answer: madeSchema,
    body: mailBodySchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, (tx) => {
        requireAll(viewer)
        return saveMail(tx, viewer, body, sending)
      }),
  })
  route(app, {
    method: 'PUT',
    url: '/api/ways/gathering',
    access: 'lead',
    summary: 'Say for how long messages to one person are gathered, and how many an hour are too many',
    answer: madeSchema,
    body: gatheringBodySchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        requireAll(viewer)
        const was = await calloutSettings(tx)
        await tx.query('update callout_settings set gather_ms = $1, most_an_hour = $2', [body.gather, body.mostAnHour])
        await audit(tx, {
          personId: viewer.id,
          action: 'changed',
          kind: 'way',
          id: null,
          detail: { name: 'gathering', ...body, was },
        })
        said(tx)
        return { id: 1 }
      }),
  })
  route(app, {
    method: 'POST',
    url: '/api/ways/mail/test',
    access: 'lead',
    summary: 'Send a mail to oneself that says only that it is a test; what the mail server said',
    answer: wayTestedSchema,
    async handle({ viewer }) {
      requireAll(viewer)
      const settings = await readMailSettings(pool, sending.vault)
      if (!settings) return { isWell: false, answer: 'Nobody has said how mail leaves yet.' }
      const person = await firstRow<{ to: string }>(
        pool,
        'select coalesce(mail_to, email) as to from person where id = $1',
        [viewer.id],
      )
      const line = new MailLine(settings)
      try {
        const { is, answer } = await line.send({
          id: randomUUID(),
          to: person!.to,
          host: new URL(sending.origin).hostname,
          mail: {
            subject: 'Test of mail from Custode',
            text: `${viewer.name} asked for this at ${sending.origin}. Nothing has happened.`,
            html: '',
            references: [],
          },
        })
        return { isWell: is === 'sent', answer }
      } finally {
        line.close()
      }
    },
  })
  route(app, {
    method: 'POST',
    url: '/api/webhooks',
    access: 'lead',
    summary: 'Add a webhook: CloudEvents 1.0 in JSON, signed as Standard Webhooks has it; its secret is told once',
    answer: madeWebhookSchema,
    body: webhookBodySchema,
    handle: ({ body, viewer }) =>
      inTransaction(pool, async (tx) => {
        requireAll(viewer)
        refusePlainUrl(body.url)
        const secret = makeSecret()
        const row = await firstRow<{ id: number }>(
          tx,
          `insert into webhook (name, url, secret) values ($1, $2, '') on conflict do nothing returning id`,
          [body.name, body.url],
        )
        if (!row) throw new ProblemError('already-exists', 'There is a webhook of this name already.')
        await tx.query('update webhook set secret = $2 where id = $1', [
          row.id,
          sending.vault.seal(secret, webhookContext(row.id)),
        ])
        await tx.query('insert into callout_way (way) values ($1)', [`webhook ${row.id}`])
        await audit(tx, { personId: viewer.id, action: 'added', kind: 'way', id: row.id, detail: body })
        said(tx)
        return { id: row.id, secret }
      }),
  })
  route(app, {
    method: 'PUT',
    url: '/api/webhooks/:id',
    access: 'lead',
    summary: 'Rename a webhook, or have it go to another address',
    answer: madeSchema,
    body: webhookBodySchema,
    handle: ({ body, viewer, id }) =>
      inTransaction(pool, async (tx) => {
        requireAll(viewer)
        refusePlainUrl(body.url)
        const was = await firstRow<{ name: string; url: string }>(
          tx,
          'select name, url from webhook where id = $1 and removed_at is null for update',
          [id()],
        )
        if (!was) throw new ProblemError('no-such-way')
        await tx.query('update webhook set name = $2, url = $3 where id = $1', [id(), body.name, body.url])
        await tryNow(tx, `webhook ${id()}`)
        await audit(tx, { personId: viewer.id, action: 'changed', kind: 'way', id: id(), detail: { ...body, was } })
        said(tx)
        return { id: id() }
      }),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/webhooks/:id',
    access: 'lead',
    summary: 'Remove a webhook that no call-out rule tells; what waits for it is dropped',
    answer: madeSchema,
    handle: ({ viewer, id }) =>
      inTransaction(pool, async (tx) => {
        requireAll(viewer)
        await requireUntold(tx, ['webhook'], id())
        const row = await firstRow<{ name: string }>(
          tx,
          `update webhook set removed_at = now(), secret = '' where id = $1 and removed_at is null returning name`,
          [id()],
        )
        if (!row) throw new ProblemError('no-such-way')
        await tx.query(
          `update callout_message set state = 'dropped', answer = 'The webhook was removed.'
           where webhook_id = $1 and state in ('gathering', 'waiting', 'sending', 'failed')`,
          [id()],
        )
        await tx.query('delete from callout_way where way = $1', [`webhook ${id()}`])
        await audit(tx, { personId: viewer.id, action: 'removed', kind: 'way', id: id(), detail: { name: row.name } })
        said(tx)
        return { id: id() }
      }),
  })
  route(app, {
    method: 'POST',
    url: '/api/webhooks/:id/test',
    access: 'lead',
    summary: 'Send an event that says only that it is a test; what the other side answered',
    answer: wayTestedSchema,
    async handle({ viewer, id }) {
      requireAll(viewer)
      const webhook = await firstRow<{ url: string; secret: Buffer }>(
        pool,
        'select url, secret from webhook where id = $1 and removed_at is null',
        [id()],
      )
      if (!webhook) throw new ProblemError('no-such-way')
      const secret = sending.vault.open(webhook.secret, webhookContext(id()))
      const eventId = randomUUID()
      const { is, answer } = await sendEvent(
        { url: webhook.url, secret },
        { id: eventId, body: testEvent(eventId, sending.origin, Date.now()), now: Date.now() },
      )
      return { isWell: is === 'sent', answer }
    },
  })
}
