import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import Provider from 'oidc-provider'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { GroupRule, Person, PersonListed, ProviderBody, ProviderSetting } from '#contract'
import { openHouse, type House } from '../../testing/house'
import { rightsOf } from './vouched'

// A real provider on loopback, certified by the OpenID Foundation (oidc-provider), that is walked through as a browser
// does.
interface Account {
  email: string
  name: string
  groups: string[]
  verified?: boolean | 'unsaid'
}
const accounts = new Map<string, Account>()
const redirectUri = 'http://127.0.0.1:7700/api/session/provider/callback'
const secret = 'a secret of the provider and ours'
let house: House
let server: Server
let issuer: string

beforeAll(async () => {
  house = await openHouse()
  server = createServer()
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  issuer = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  const provider = new Provider(issuer, {
    clients: [
      {
        client_id: 'custode',
        client_secret: secret,
        redirect_uris: [redirectUri],
        grant_types: ['authorization_code'],
        response_types: ['code'],
      },
    ],
    pkce: { required: () => true, methods: ['S256'] },
    claims: { openid: ['sub'], email: ['email', 'email_verified'], profile: ['name'], groups: ['groups'] },
    scopes: ['openid', 'email', 'profile', 'groups'],
    findAccount: (_, id) => {
      const account = accounts.get(id)
      return (
        account && {
          accountId: id,
          claims: () => ({
            sub: id,
            email: account.email,
            ...(account.verified === 'unsaid' ? {} : { email_verified: account.verified ?? true }),
            name: account.name,
            groups: account.groups,
          }),
        }
      )
    },
    cookies: { keys: ['of a test'] },
    jwks: undefined,
  })
  server.on('request', provider.callback())
}, 120_000)
afterAll(async () => {
  await house.close()
  server.closeAllConnections()
  await new Promise((resolve) => server.close(resolve))
})

const rules: GroupRule[] = [
  { group: 'custode-leads', access: 'lead', clientIds: null },
  { group: 'custode-tidemill', access: 'technician', clientIds: [1] },
]
const setting = (more: Partial<ProviderBody> = {}): ProviderBody => ({
  name: 'Lanternfield',
  issuer,
  clientId: 'custode',
  clientSecret: secret,
  scopes: 'openid email profile groups',
  groupsClaim: 'groups',
  rules,
  isOn: true,
  ...more,
})
beforeEach(async () => {
  expect((await house.lead('PUT', '/api/house-policy/provider', setting())).status).toBe(200)
})

/** Cookies of one browser, by site. */
class Jar {
  private readonly kept = new Map<string, string>()
  take(headers: string[]): void {
    for (const header of headers) {
      const [pair] = header.split(';')
      const [name, value] = [pair!.slice(0, pair!.indexOf('=')), pair!.slice(pair!.indexOf('=') + 1)]
      if (value === '' || /expires=Thu, 01 Jan 1970|max-age=0/i.test(header)) this.kept.delete(name)
      else this.kept.set(name, value)
    }
  }
  get text(): string {
    return [...this.kept].map(([name, value]) => `${name}=${value}`).join('; ')
  }
}

interface Came {
  address: string
  html: string
  ours: Jar
}
/** Goes to the provider as somebody and comes back, but does not yet call the address that it comes back to. */
async function walk(account: string, to = '/rounds'): Promise<{ ours: Jar; back: string }> {
  const [ours, theirs] = [new Jar(), new Jar()]
  const begun = await house.app.inject({ method: 'GET', url: `/api/session/provider?to=${encodeURIComponent(to)}` })
  expect(begun.statusCode).toBe(302)
  ours.take([begun.headers['set-cookie'] ?? []].flat())
  let address = String(begun.headers.location)
  let form: Record<string, string> | null = null
  for (let i = 0; i < 20; i++) {
    if (address.startsWith(redirectUri)) return { ours, back: address }
    const answer: Response = await fetch(address, {
      method: form ? 'POST' : 'GET',
      redirect: 'manual',
      headers: { cookie: theirs.text, ...(form ? { 'content-type': 'application/x-www-form-urlencoded' } : {}) },
      ...(form ? { body: new URLSearchParams(form) } : {}),
    })
    theirs.take(answer.headers.getSetCookie())
    const next = answer.headers.get('location')
    if (next) {
      ;[address, form] = [new URL(next, address).href, null]
      continue
    }
    const page = await answer.text()
    const prompt = /name="prompt" value="(\w+)"/.exec(page)?.[1]
    const action = /<form[^>]* action="([^"]+)"/.exec(page)?.[1]
    if (!prompt || !action) throw new Error(`${answer.status} ${page.slice(0, 400)}`)
    address = new URL(action, address).href
    form = prompt === 'login' ? { prompt, login: account, password: 'of no matter' } : { prompt }
  }
  throw new Error('never came back')
}
async function signIn(account: string, to?: string): Promise<Came> {
  const { ours, back } = await walk(account, to)
  const url = new URL(back)
  const answer = await house.app.inject({
    method: 'GET',
    url: `${url.pathname}${url.search}`,
    headers: { cookie: ours.text },
  })
  ours.take([answer.headers['set-cookie'] ?? []].flat())
  const address = /url=([^"]+)"/.exec(answer.body)?.[1] ?? ''
  return { address: decodeURIComponent(address), html: answer.body, ours }
}
const whoIs = async ({ ours }: Came) =>
  (await house.app.inject({ method: 'GET', url: '/api/session', headers: { cookie: ours.text } })).json<Person>()

describe('signing in by the identity provider', () => {
  it('gives the rights of one’s groups, anew each time', async () => {
    accounts.set('ines', {
      email: 'ines@lanternfield.example',
      name: 'Ines Vantorre',
      groups: ['staff', 'custode-tidemill'],
    })
    const first = await signIn('ines', '/alerts/7?do=take')
    expect(first.address).toBe('/alerts/7?do=take')
    expect(await whoIs(first)).toMatchObject({ name: 'Ines Vantorre', access: 'technician', clientIds: [1] })
    accounts.get('ines')!.groups = ['custode-leads']
    const second = await signIn('ines')
    expect(await whoIs(second)).toMatchObject({ access: 'lead', clientIds: null })
    // What they had before had other rights.
    expect((await whoIs(first)) as unknown).toMatchObject({ code: 'sign-in-needed' })
    const people = (await house.lead<PersonListed[]>('GET', '/api/people')).body
    expect(people.filter(({ email }) => email === 'ines@lanternfield.example')).toHaveLength(1)
  })

  it('refuses whose groups may do nothing, who is deactivated, and whose address nobody has verified', async () => {
    accounts.set('guest', { email: 'guest@lanternfield.example', name: 'Guest', groups: ['staff'] })
    expect((await signIn('guest')).address).toMatch(/^\/sign-in\?problem=None of your groups/)
    accounts.set('liar', {
      email: 'lead@lanternfield.example',
      name: 'Liar',
      groups: ['custode-leads'],
      verified: false,
    })
    expect((await signIn('liar')).address).toMatch(/no e-mail address of yours that it has verified/)
    accounts.set('gone', { email: 'gone@lanternfield.example', name: 'Gone', groups: ['custode-tidemill'] })
    const { id } = await whoIs(await signIn('gone'))
    await house.lead('PUT', `/api/people/${id}`, { active: false })
    expect((await signIn('gone')).address).toMatch(/deactivated/)
  })

  it('leaves who was here before with their rights and their password: a lead of the house stays a way in', async () => {
    const local = await house.personWith('lead', null)
    accounts.set('mara', { email: local.signsInWith.email, name: 'Mara Velde', groups: ['custode-tidemill'] })
    expect(await whoIs(await signIn('mara'))).toMatchObject({ id: local.id, access: 'lead', clientIds: null })
    expect((await house.nobody('POST', '/api/session', local.signsInWith)).status).toBe(200)
    // Known by the provider's own number from now on, whatever address it tells.
    accounts.get('mara')!.email = 'another@lanternfield.example'
    expect(await whoIs(await signIn('mara'))).toMatchObject({ id: local.id })
  })

  it('knows nobody who was here before by an address of which the provider does not say that it is theirs', async () => {
    const local = await house.personWith('lead', null)
    accounts.set('other', {
      email: local.signsInWith.email,
      name: 'Other',
      groups: ['custode-leads'],
      verified: 'unsaid',
    })
    expect((await signIn('other')).address).toMatch(/^\/sign-in\?problem=Somebody else/)
  })

  it('is the only way in for who came by it: no link gives them a password that outlasts their groups', async () => {
    accounts.set('only', { email: 'only@lanternfield.example', name: 'Only', groups: ['custode-tidemill'] })
    const { id } = await whoIs(await signIn('only'))
    expect((await house.lead('POST', `/api/people/${id}/invitation`)).status).toBe(400)
    await house.nobody('POST', '/api/session/forgotten', { email: 'only@lanternfield.example' })
    expect((await house.pool.query('select from invitation where person_id = $1', [id])).rowCount).toBe(0)
  })

  it('asks for no second factor of its own: what the provider asks for is enough', async () => {
    await house.pool.query(`update house_policy set second_factor = 'all'`)
    accounts.set('jorun', { email: 'jorun@lanternfield.example', name: 'Jorun', groups: ['custode-tidemill'] })
    expect(await whoIs(await signIn('jorun'))).toMatchObject({ isFactorDue: false })
    await house.pool.query(`update house_policy set second_factor = 'none'`)
  })

  it('takes each answer once, from the browser that began, as it was given', async () => {
    accounts.set('tomas', { email: 'tomas@lanternfield.example', name: 'Tomas', groups: ['custode-tidemill'] })
    const { ours, back } = await walk('tomas')
    const url = new URL(back)
    const call = (search: string, cookie: string) =>
      house.app.inject({ method: 'GET', url: `${url.pathname}${search}`, headers: { cookie } })
    const isRefused = (body: string) => /url=\/sign-in\?problem/.test(body)
    // Somebody is sent to the answer of another: they would be signed in as them.
    expect(isRefused((await call(url.search, '')).body)).toBe(true)
    const other = await walk('tomas')
    expect(isRefused((await call(url.search, other.ours.text)).body)).toBe(true)
    expect(isRefused((await call(url.search.replace(/code=[^&]+/, 'code=another'), ours.text)).body)).toBe(true)
    // That one was used up by the trial.
    expect(isRefused((await call(url.search, ours.text)).body)).toBe(true)
    const again = await walk('tomas')
    const last = new URL(again.back)
    const answer = await call(last.search, again.ours.text)
    expect(answer.headers['set-cookie']).toContainEqual(expect.stringMatching(/^custode=.*SameSite=Strict/))
    expect(isRefused((await call(last.search, again.ours.text)).body)).toBe(true)
  })

  it.each([
    'https://elsewhere.example/',
    '//elsewhere.example',
    '/\\elsewhere.example',
    'javascript:alert(1)',
    '/a"><script>',
  ])('goes on to a place of its own, and not to %s', async (to) => {
    accounts.set('sun', { email: 'sun@lanternfield.example', name: 'Sun', groups: ['custode-tidemill'] })
    const { address, html } = await signIn('sun', to)
    expect(address).toBe('/rounds')
    expect(html).not.toContain('elsewhere')
  })
})

describe('the setting', () => {
  it('never tells its secret, keeps it, and forgets it with another provider', async () => {
    const read = async () => (await house.lead<ProviderSetting>('GET', '/api/house-policy/provider')).body
    const { clientSecret: _secret, ...same } = setting({ name: 'Renamed' })
    await house.lead('PUT', '/api/house-policy/provider', same)
    expect((await read()).provider).toMatchObject({ name: 'Renamed', hasSecret: true, redirectUri })
    expect(JSON.stringify(await read())).not.toContain(secret)
    await house.lead('PUT', '/api/house-policy/provider', { ...same, issuer: 'https://other.example' })
    expect((await read()).provider).toMatchObject({ hasSecret: false })
  })

  it('is over https, but on this machine; what does not answer as a provider is told to whoever signs in', async () => {
    const plain = await house.lead('PUT', '/api/house-policy/provider', setting({ issuer: 'http://id.example' }))
    expect(plain.status).toBe(400)
    await house.lead('PUT', '/api/house-policy/provider', setting({ issuer: 'http://127.0.0.1:1' }))
    expect((await house.nobody('GET', '/api/session/provider')).body.code).toBe('provider-away')
    await house.lead('PUT', '/api/house-policy/provider', setting({ isOn: false }))
    expect((await house.nobody('GET', '/api/session/provider')).status).toBe(404)
    expect((await house.nobody('GET', '/api/session/ways')).body).toEqual({ provider: null })
  })
})

it('of several rules the first that fits counts', () => {
  expect(rightsOf(rules, ['custode-tidemill', 'custode-leads'])).toEqual({ access: 'lead', clientIds: null })
  expect(rightsOf(rules, ['nobody'])).toBeNull()
})
