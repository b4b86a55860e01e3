import {
  madeSchema,
  providerBodySchema,
  providerQuerySchema,
  providerSettingSchema,
  signInWaysSchema,
  type ProviderBody,
  type ProviderView,
} from '#contract'
import { day, minute, type Millis } from '#core'
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify'
import * as oidc from 'openid-client'
import { firstRow, inTransaction, time, type Db, type Pool } from '../../db'
import type { Sending } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { isLoopback } from '../../http/transport'
import { wellFormed } from '../../http/wellFormed'
import type { Viewer } from '../../http/viewer'
import { digest, makeSecret } from '../../secrets/secret'
import type { Vault } from '../../secrets/vault'
import { audit } from './audit'
import { setSessionToken } from './cookie'
import { housePolicy } from './housePolicy'
import { mayChangeAll } from './viewer'
import { personOf, type Vouched } from './vouched'

const secretContext = 'identity provider'
/** So long somebody may be at the provider. */
const patience: Millis = 15 * minute
const callback = '/api/session/provider/callback'

interface Row extends Omit<ProviderView, 'hasSecret' | 'redirectUri'> {
  secret: Buffer | null
}
function readProvider(db: Db): Promise<Row | null> {
  return firstRow<Row>(
    db,
    `select name, issuer, client_id as "clientId", client_secret as secret, scopes, groups_claim as "groupsClaim", rules,
       is_on as "isOn" from identity_provider`,
  )
}

/** @throws ProblemError *invalid*: passwords and keys of people would cross the network in the open */
function refuseOpen(issuer: string): void {
  const { protocol, hostname } = new URL(issuer)
  if (protocol !== 'https:' && !isLoopback(hostname.replace(/[[\]]/g, '')))
    throw new ProblemError('invalid', 'The provider must be reached over https.', [
      { at: 'issuer', message: 'needs https' },
    ])
}

/** What the provider says of itself (OpenID Connect Discovery 1.0). @throws ProblemError provider-away */
async function discover({ issuer, clientId, secret }: Row, vault: Vault): Promise<oidc.Configuration> {
  const isPlain = issuer.startsWith('http:')
  try {
    return await oidc.discovery(
      new URL(issuer),
      clientId,
      secret ? vault.open(secret, secretContext) : undefined,
      secret ? undefined : oidc.None(),
      { timeout: 10, ...(isPlain ? { execute: [oidc.allowInsecureRequests] } : {}) },
    )
  } catch (error) {
    throw new ProblemError('provider-away', `The identity provider did not answer as one: ${(error as Error).message}`)
  }
}

const cookieName = 'custode-provider'

async function vouchedFor(
  config: oidc.Configuration,
  address: URL,
  attempt: { state: string; nonce: string; verifier: string },
  groupsClaim: string,
): Promise<Vouched> {
  const tokens = await oidc.authorizationCodeGrant(config, address, {
    pkceCodeVerifier: attempt.verifier,
    expectedState: attempt.state,
    expectedNonce: attempt.nonce,
    idTokenExpected: true,
  })
  const claims = tokens.claims()!
  const { userinfo_endpoint: hasMore, issuer } = config.serverMetadata()
  const more = hasMore ? await oidc.fetchUserInfo(config, tokens.access_token, claims.sub) : {}
  const all: Record<string, unknown> = { ...more, ...claims }
  const groups = all[groupsClaim]
  const text = (value: unknown) => (typeof value === 'string' && value.trim() ? wellFormed(value.trim()) : null)
  const email = all.email_verified === false ? null : text(all.email)
  return {
    issuer,
    subject: wellFormed(claims.sub).slice(0, 300),
    email: email && email.length <= 200 ? email : null,
    isVerified: all.email_verified === true,
    name: (text(all.name) ?? text(all.preferred_username) ?? email ?? 'somebody').slice(0, 100),
    groups: (Array.isArray(groups) ? groups : typeof groups === 'string' ? [groups] : []).map(String),
  }
}

/** Only places of our own: an address of another site must not be a way out. */
const ownPlace = (to: string | undefined) => (to !== undefined && /^\/(?![/\\])[^\s"<>]*$/.test(to) ? to : '/rounds')

/**
 * A page that goes on by itself. A redirect would be a part of the way from the provider's site, on which browsers send
 * no cookie that is for this site alone.
 */
function goOn(reply: FastifyReply, to: string): FastifyReply {
  const address = to.replaceAll('&', '&amp;')
  return reply
    .type('text/html; charset=utf-8')
    .send(
      `<!doctype html><meta charset="utf-8"><meta http-equiv="refresh" content="0;url=${address}"><title>Custode</title><p><a href="${address}">Go on</a></p>`,
    )
}

async function save(tx: Db, viewer: Viewer, body: ProviderBody, vault: Vault): Promise<{ id: number }> {
  const { clientSecret, ...plain } = body
  const was = await readProvider(tx)
  // A secret is for the provider that it was given for.
  const keeps = clientSecret === undefined && was?.issuer === body.issuer && was.clientId === body.clientId
  const sealed = clientSecret ? vault.seal(clientSecret, secretContext) : null
  await tx.query(
    `insert into identity_provider (name, issuer, client_id, client_secret, scopes, groups_claim, rules, is_on)
     values ($1, $2, $3, $4, $5, $6, $7, $8)
     on conflict (one) do update set name = $1, issuer = $2, client_id = $3,
       client_secret = case when $9 then identity_provider.client_secret else $4 end, scopes = $5, groups_claim = $6,
       rules = $7, is_on = $8`,
    [
      body.name,
      body.issuer,
      body.clientId,
      sealed,
      body.scopes,
      body.groupsClaim,
      JSON.stringify(body.rules),
      body.isOn,
      keeps,
    ],
  )
  await audit(tx, {
    personId: viewer.id,
    action: 'changed',
    kind: 'way',
    id: null,
    detail: {
      ...plain,
      ...(clientSecret === undefined ? {} : { clientSecret: 'another one' }),
      was: was ? { ...was, secret: undefined } : {},
    },
  })
  return { id: 1 }
}

export function providerRoutes(app: FastifyInstance, pool: Pool, { vault, origin }: Sending): void {
  const redirectUri = `${origin}${callback}`
  const requireAll = (viewer: Viewer) => {
    if (!mayChangeAll(viewer))
      throw new ProblemError('not-allowed', 'How people sign in is decided by a lead of all clients.')
  }
  route(app, {
    method: 'GET',
    url: '/api/session/ways',
    access: 'public',
    summary: 'How one can sign in here',
    answer: signInWaysSchema,
    async handle() {
      const provider = await readProvider(pool)
      return { provider: provider?.isOn ? provider.name : null }
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/house-policy/provider',
    access: 'lead',
    summary: 'The identity provider by which people can sign in',
    answer: providerSettingSchema,
    async handle({ viewer }) {
      requireAll(viewer)
      const row = await readProvider(pool)
      if (!row) return { provider: null, redirectUri }
      const { secret, ...provider } = row
      return { provider: { ...provider, hasSecret: secret !== null, redirectUri }, redirectUri }
    },
  })
  route(app, {
    method: 'PUT',
    url: '/api/house-policy/provider',
    access: 'lead',
    summary: 'Have people sign in by an identity provider (OpenID Connect), with rights by their groups',
    answer: madeSchema,
    body: providerBodySchema,
    async handle({ body, viewer }) {
      requireAll(viewer)
      refuseOpen(body.issuer)
      return inTransaction(pool, (tx) => save(tx, viewer, body, vault))
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/session/provider',
    access: 'public',
    summary: 'Go to the identity provider, to sign in there (OpenID Connect, code flow with PKCE)',
    answer: { media: 'text/html' },
    query: providerQuerySchema,
    async handle({ query, request, reply }) {
      const provider = await readProvider(pool)
      if (!provider?.isOn) throw new ProblemError('no-such-address')
      const config = await discover(provider, vault)
      const [state, nonce, verifier, browser] = [
        oidc.randomState(),
        oidc.randomNonce(),
        oidc.randomPKCECodeVerifier(),
        makeSecret(),
      ]
      await pool.query('delete from provider_attempt where expires_at < now()')
      await pool.query(
        `insert into provider_attempt (state, browser_digest, nonce, verifier, goes_to, expires_at)
         values ($1, $2, $3, $4, $5, $6)`,
        [state, digest(browser), nonce, verifier, ownPlace(query.to), time(Date.now() + patience)],
      )
      // On the way back from another site only a lax cookie comes along (RFC 6265bis, section 5.2).
      void reply.setCookie(cookieName, browser, {
        httpOnly: true,
        sameSite: 'lax',
        path: callback,
        secure: request.protocol === 'https',
        maxAge: patience / 1000,
      })
      const address = oidc.buildAuthorizationUrl(config, {
        redirect_uri: redirectUri,
        scope: provider.scopes,
        state,
        nonce,
        code_challenge: await oidc.calculatePKCECodeChallenge(verifier),
        code_challenge_method: 'S256',
      })
      return reply.redirect(address.href)
    },
  })
  route(app, {
    method: 'GET',
    url: callback,
    access: 'public',
    summary: 'Where the identity provider sends people back to',
    answer: { media: 'text/html' },
    handle: ({ request, reply }) => comeBack(pool, vault, origin, request, reply),
  })
}

async function comeBack(
  pool: Pool,
  vault: Vault,
  origin: string,
  request: FastifyRequest,
  reply: FastifyReply,
): Promise<FastifyReply> {
  // As it is known outside, whatever a proxy made of it.
  const address = new URL(request.url, origin)
  const attempt = await firstRow<{ state: string; nonce: string; verifier: string; goes_to: string }>(
    pool,
    `delete from provider_attempt where state = $1 and browser_digest = $2 and expires_at > now()
     returning state, nonce, verifier, goes_to`,
    [wellFormed(address.searchParams.get('state') ?? ''), digest(request.cookies[cookieName] ?? '')],
  )
  void reply.clearCookie(cookieName, { path: callback })
  const refused = (detail: string) => goOn(reply, `/sign-in?problem=${encodeURIComponent(detail)}`)
  if (!attempt) return refused('It took too long, or began in another browser. Try again.')
  const provider = await readProvider(pool)
  if (!provider?.isOn) return refused('Nobody signs in by an identity provider here any more.')
  let vouched: Vouched
  try {
    vouched = await vouchedFor(await discover(provider, vault), address, attempt, provider.groupsClaim)
  } catch (error) {
    request.log.warn({ err: error }, 'the identity provider did not vouch for somebody')
    return refused(`The identity provider did not let you in: ${(error as Error).message}`)
  }
  const token = makeSecret()
  const length = (await housePolicy(pool)).sessionDays * day
  try {
    await inTransaction(pool, async (tx) => {
      const personId = await personOf(tx, vouched, provider.rules)
      await tx.query(
        `insert into session (token_digest, person_id, expires_at, address, browser, by_provider)
         values ($1, $2, $3, $4, $5, true)`,
        [
          digest(token),
          personId,
          time(Date.now() + length),
          request.ip,
          wellFormed(request.headers['user-agent'] ?? '').slice(0, 300),
        ],
      )
      await audit(tx, { personId, action: 'signed in by the identity provider', kind: 'person', id: personId })
    })
  } catch (error) {
    if (error instanceof ProblemError) return refused(error.detail)
    throw error
  }
  setSessionToken(request, reply, token, length)
  return goOn(reply, attempt.goes_to)
}
