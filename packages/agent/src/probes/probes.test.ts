import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer as createPage, type Server as PageServer } from 'node:http'
import { createServer as createTlsPage } from 'node:https'
import { createServer, type AddressInfo, type Server } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gunzipSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { day, type ProbeAsk, type ProbeCheck, type ProbeTold } from '#core'
import { look } from './checks'
import { failed, within, type Looked } from './looked'
import { parsePing } from './ping'
import { Prober, type Looking } from './prober'
import { addressOf } from './resolve'
import { Slots } from './slots'
import { Telling } from './telling'

const loopback = { networks: ['127.0.0.0/8', '::1/128'], names: [] }
const pace = { every: 60_000, recheck: 20_000, confirm: 3, clears: 2, timeout: 2000, slow: null }
const ask = (check: ProbeCheck, host = '127.0.0.1', more: Partial<ProbeAsk> = {}): ProbeAsk => ({
  id: 1,
  host,
  check,
  pace,
  bounds: loopback,
  ...more,
})
/** What one look comes to, as the prober has it. */
const looked = (of: ProbeAsk): Promise<Looked> =>
  addressOf(of.host, of.bounds)
    .then((address) => within(of.pace.timeout, (stop) => look(of, address, stop)))
    .catch(failed)

const servers: (Server | PageServer)[] = []
const listen = async (server: Server | PageServer): Promise<number> => {
  servers.push(server)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return (server.address() as AddressInfo).port
}
const speaks = (greeting: string) =>
  listen(
    createServer((socket) => {
      socket.on('error', () => undefined)
      socket.write(greeting)
    }),
  )
afterAll(() => {
  for (const server of servers) {
    if ('closeAllConnections' in server) server.closeAllConnections()
    server.close()
  }
})

describe('a port', () => {
  it('whose answer is there is well, though the agent stood still until it was too late to look', async () => {
    const port = await speaks('')
    const looking = within(300, (stop) => look(ask({ check: 'port', port }), '127.0.0.1', stop))
    Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 800)
    expect(await looking).toMatchObject({ outcome: 'good' })
    const silent = within(300, () => new Promise<never>(() => undefined))
    Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 800)
    await expect(silent).rejects.toThrow('timeout')
  })
  it('is not waited for in ever shorter parts', async () => {
    const waits = vi.spyOn(globalThis, 'setTimeout')
    await expect(within(0.1, () => new Promise<never>(() => undefined))).rejects.toThrow('timeout')
    expect(waits.mock.calls.length).toBeLessThan(10)
    waits.mockRestore()
  })
  it('that takes a connection is well, one that does not refuses', async () => {
    const port = await speaks('')
    expect(await looked(ask({ check: 'port', port }))).toMatchObject({ outcome: 'good', address: '127.0.0.1' })
    const closed = createServer()
    const was = await listen(closed)
    await new Promise((resolve) => closed.close(resolve))
    expect(await looked(ask({ check: 'port', port: was }))).toEqual({ outcome: 'bad', fault: 'refused' })
  })
  it('that may not be looked at is no look at all', async () => {
    const check = { check: 'port', port: 9 } as const
    expect(await looked(ask(check, '127.0.0.1', { bounds: { networks: ['198.51.100.0/24'], names: [] } }))).toEqual({
      outcome: 'trouble',
      trouble: 'not-allowed',
      detail: '127.0.0.1',
    })
    // A name that is allowed leads home: it is not followed there.
    expect(await looked(ask(check, 'localhost', { bounds: { networks: [], names: ['localhost'] } }))).toMatchObject({
      outcome: 'trouble',
      trouble: 'not-allowed',
    })
  })
})

describe('which address a name leads to', () => {
  it.each([
    ['ENOTFOUND', { outcome: 'bad', fault: 'unresolved' }],
    // Nobody answered who would know.
    ['EAI_AGAIN', { outcome: 'trouble', trouble: 'no-names' }],
  ])('none, %s', async (code, is) => {
    const find = (() => Promise.reject(Object.assign(new Error(code), { code }))) as never
    const seen = await addressOf('www.shop.example', { networks: [], names: ['*.shop.example'] }, find).catch(failed)
    expect(seen).toMatchObject(is)
  })
  const found = (...addresses: string[]) =>
    (() => Promise.resolve(addresses.map((address) => ({ address, family: address.includes(':') ? 6 : 4 })))) as never
  it.each([
    ['the first that may be looked at', ['10.0.0.1', '198.51.100.7'], '198.51.100.7'],
    ['IPv4 in IPv6 counts as IPv4', ['::ffff:198.51.100.7'], '::ffff:198.51.100.7'],
  ])('%s', async (_what, addresses, is) => {
    expect(
      await addressOf('db.branch.example', { networks: ['198.51.100.0/24'], names: [] }, found(...addresses)),
    ).toBe(is)
  })
  it.each([
    ['127.0.0.1'],
    ['10.0.0.8'],
    ['192.168.1.1'],
    ['fd00::1'],
    ['64:ff9b::a00:1'],
    ['169.254.169.254'],
    ['::1'],
    ['0.0.0.0'],
    ['fe80::1'],
    ['224.0.0.1'],
  ])('a name outside that leads to %s is not followed', async (address) => {
    const bounds = { networks: [], names: ['*.shop.example'] }
    await expect(addressOf('www.shop.example', bounds, found(address))).rejects.toThrow('not-allowed')
    expect(await addressOf('www.shop.example', bounds, found(address, '203.0.113.4'))).toBe('203.0.113.4')
  })
})

describe('a page', () => {
  const page = (port: number, more: Partial<Extract<ProbeCheck, { check: 'page' }>> = {}): ProbeCheck => ({
    check: 'page',
    secure: false,
    port,
    path: '/',
    status: [[200, 299]],
    words: '',
    follow: true,
    trusted: true,
    least: null,
    most: null,
    ...more,
  })
  let port = 0
  beforeAll(async () => {
    port = await listen(
      createPage((request, response) => {
        const leads: Record<string, string> = {
          '/old': '/new',
          '/round': '/round',
          '/away': 'http://192.0.2.1/',
          '/file': 'file:///etc/passwd',
        }
        const to = leads[request.url!]
        if (to) return void response.writeHead(302, { location: to }).end()
        if (request.url === '/slow') return
        if (request.url === '/down') return void response.writeHead(503).end('no')
        if (request.url === '/endless') {
          response.writeHead(200)
          const more = () => {
            while (response.write('x'.repeat(65_536)));
          }
          response.on('drain', more).on('error', () => undefined)
          return more()
        }
        response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end('<p>Open\n until  nine · été</p>')
      }),
    )
  })
  it.each<[what: string, more: Parameters<typeof page>[1], is: object]>([
    ['answers', {}, { outcome: 'good', detail: '200', size: 33 }],
    ['has the words, over a line end', { words: 'open until nine*été' }, { outcome: 'good' }],
    ['lacks the words', { words: 'open until ten' }, { outcome: 'bad', fault: 'words' }],
    ['leads elsewhere', { path: '/old' }, { outcome: 'good', detail: '200' }],
    ['leads elsewhere, and that counts', { path: '/old', follow: false }, { fault: 'status', detail: '302' }],
    ['may lead elsewhere', { path: '/old', follow: false, status: [[302, 302]] }, { outcome: 'good' }],
    ['leads on for ever', { path: '/round' }, { fault: 'redirect' }],
    ['leads where nobody may look', { path: '/away' }, { fault: 'redirect', detail: '192.0.2.1' }],
    ['leads to a file', { path: '/file' }, { fault: 'redirect' }],
    ['has another status', { path: '/down' }, { fault: 'status', detail: '503' }],
    [
      'has that status',
      {
        path: '/down',
        status: [
          [200, 299],
          [503, 503],
        ],
      },
      { outcome: 'good' },
    ],
    ['is too small', { least: 1000 }, { fault: 'small', detail: '33' }],
    ['is too large', { most: 10 }, { fault: 'large' }],
    ['has no end, and is read for its first MB', { path: '/endless' }, { outcome: 'good', size: 1024 * 1024 }],
    ['does not answer', { path: '/slow' }, { fault: 'timeout' }],
  ])('that %s', async (_what, more, is) => {
    expect(await looked(ask(page(port, more)))).toMatchObject(is)
  })
  it('that is asked for over TLS and does not speak it', async () => {
    expect(await looked(ask(page(port, { secure: true })))).toMatchObject({ outcome: 'bad', fault: 'tls' })
  })
})

describe('a certificate, as openssl(1) has made it', () => {
  let folder = ''
  const made: Record<string, { key: string; cert: string; path: string }> = {}
  const make = (name: string, subject: string, alternatives: string, ...more: string[]) => {
    const [key, cert] = [join(folder, `${name}.key`), join(folder, `${name}.pem`)]
    execFileSync(
      'openssl',
      [
        'req',
        '-x509',
        '-newkey',
        'ec',
        '-pkeyopt',
        'ec_paramgen_curve:prime256v1',
        '-nodes',
        '-keyout',
        key,
        '-out',
        cert,
      ]
        .concat(['-subj', `/CN=${subject}`, '-addext', `subjectAltName=${alternatives}`])
        .concat(more),
      { stdio: 'ignore' },
    )
    made[name] = { key: readFileSync(key, 'utf8'), cert: readFileSync(cert, 'utf8'), path: cert }
  }
  /** Signs one anew, for a year that is over: openssl-ca(1) alone says when one begins. */
  const makeOver = (name: string) => {
    const at = (file: string) => join(folder, file)
    writeFileSync(at('index.txt'), '')
    writeFileSync(at('serial'), '01\n')
    writeFileSync(
      at('ca.cnf'),
      `[ca]\ndefault_ca=c\n[c]\ndatabase=${at('index.txt')}\nserial=${at('serial')}\nnew_certs_dir=${folder}
default_md=sha256\npolicy=p\ncopy_extensions=copy\n[p]\ncommonName=supplied\n`,
    )
    const quiet = { stdio: 'ignore' } as const
    const key = at(`${name}.key`)
    execFileSync('openssl', ['req', '-new', '-key', key, '-subj', '/CN=shop.example', '-out', at('csr')], quiet)
    execFileSync(
      'openssl',
      [
        'ca',
        '-batch',
        '-selfsign',
        '-config',
        at('ca.cnf'),
        '-keyfile',
        key,
        '-in',
        at('csr'),
        '-out',
        at('over.out'),
      ].concat(['-notext', '-startdate', '20240101000000Z', '-enddate', '20250101000000Z']),
      quiet,
    )
    made[name] = { ...made[name]!, cert: readFileSync(at('over.out'), 'utf8') }
  }
  beforeAll(() => {
    folder = mkdtempSync(join(tmpdir(), 'custode-certificates-'))
    make('house', 'shop.example', 'DNS:shop.example,IP:127.0.0.1', '-days', '9')
    make('over', 'shop.example', 'DNS:shop.example', '-days', '9')
    makeOver('over')
  })
  afterAll(() => rmSync(folder, { recursive: true }))
  const serve = (name: string) =>
    listen(createTlsPage(made[name]!, (_request, response) => response.end('well')) as never)
  const check = (port: number, more: object = {}): ProbeCheck => ({
    check: 'certificate',
    port,
    name: 'shop.example',
    trusted: false,
    named: true,
    ...more,
  })

  it('its end is what openssl reads from it', async () => {
    const port = await serve('house')
    const { expires, outcome } = await looked(ask(check(port)))
    const end = execFileSync('openssl', ['x509', '-enddate', '-noout', '-in', made.house!.path], { encoding: 'utf8' })
    expect(outcome).toBe('good')
    expect(expires).toBe(Date.parse(end.replace('notAfter=', '')))
    expect(expires! - Date.now()).toBeGreaterThan(8 * day)
  })
  it('nobody trusts it, it fits its names and its address, and no other name', async () => {
    const port = await serve('house')
    expect(await looked(ask(check(port, { trusted: true })))).toEqual({
      outcome: 'bad',
      fault: 'untrusted',
      detail: 'DEPTH_ZERO_SELF_SIGNED_CERT',
    })
    expect(await looked(ask(check(port, { name: '' })))).toMatchObject({ outcome: 'good' })
    expect(await looked(ask(check(port, { name: 'mail.example' })))).toEqual({
      outcome: 'bad',
      fault: 'name',
      detail: 'shop.example, 127.0.0.1',
    })
    expect(await looked(ask(check(port, { name: 'mail.example', named: false })))).toMatchObject({ outcome: 'good' })
  })
  it('one that is over is said to be, whoever made it', async () => {
    const port = await serve('over')
    expect(await looked(ask(check(port)))).toEqual({ outcome: 'bad', fault: 'expired', detail: '' })
  })
  it('a page behind it is not well unless any may be shown', async () => {
    const port = await serve('house')
    const page = {
      check: 'page',
      secure: true,
      port,
      path: '/',
      status: [[200, 299]],
      words: 'well',
      follow: true,
      least: null,
      most: null,
    } as const
    expect(await looked(ask({ ...page, trusted: true }))).toMatchObject({ outcome: 'bad', fault: 'untrusted' })
    expect(await looked(ask({ ...page, trusted: false }))).toMatchObject({ outcome: 'good' })
  })
  it('a port that shows none', async () => {
    expect(await looked(ask(check(await speaks('220 hello\r\n'))))).toMatchObject({ outcome: 'bad', fault: 'tls' })
  })
})

describe('a greeting', () => {
  const mail = (protocol: 'SMTP' | 'IMAP' | 'POP3', port: number, words = ''): ProbeAsk =>
    ask({ check: 'mail', protocol, port, secure: false, words })
  it.each([
    // RFC 5321, appendix D.1; RFC 9051, section 7.1.1; RFC 1939, section 10.
    ['SMTP', '220 foo.com Simple Mail Transfer Service Ready\r\n'],
    ['IMAP', '* OK IMAP4rev2 server ready\r\n'],
    ['POP3', '+OK POP3 server ready <1896.697170952@dbc.mtview.ca.us>\r\n'],
  ] as const)('of %s', async (protocol, greeting) => {
    expect(await looked(mail(protocol, await speaks(greeting)))).toMatchObject({ outcome: 'good' })
  })
  it('of one that is not ready, of another protocol, of nobody, and without the words', async () => {
    const away = '554 no SMTP service here\r\n'
    expect(await looked(mail('SMTP', await speaks(away)))).toEqual({
      outcome: 'bad',
      fault: 'greeting',
      detail: '554 no SMTP service here',
    })
    expect(await looked(mail('IMAP', await speaks('220 hello\r\n')))).toMatchObject({ fault: 'greeting' })
    expect(await looked(mail('SMTP', await speaks('')))).toMatchObject({ fault: 'timeout' })
    expect(await looked(mail('SMTP', await speaks('220 mail.example\r\n'), 'other'))).toMatchObject({ fault: 'words' })
    expect(await looked(mail('SMTP', await speaks(`220 ${'x'.repeat(9000)}`)))).toMatchObject({ outcome: 'good' })
    const bell = await looked(mail('SMTP', await speaks('500 \u0007\ud800 no\r\n')))
    expect(bell.detail).not.toMatch(/[\p{Cc}\p{Cs}]/u)
  })
})

describe('what ping(8) says', () => {
  it.each([
    [
      `PING 127.0.0.1 (127.0.0.1) 56(84) bytes of data.

--- 127.0.0.1 ping statistics ---
5 packets transmitted, 5 received, 0% packet loss, time 820ms
rtt min/avg/max/mdev = 0.026/0.041/0.052/0.009 ms
`,
      { loss: 0, mean: 0.041 },
    ],
    [
      '4 packets transmitted, 1 received, 75% packet loss, time 612ms\nrtt min/avg/max/mdev = 1.5/1.5/1.5/0.0 ms',
      { loss: 0.75, mean: 1.5 },
    ],
    ['5 packets transmitted, 0 received, +5 errors, 100% packet loss, time 812ms', { loss: 1, mean: null }],
    ['ping: connect: Network is unreachable', null],
  ])('%s', (output, is) => {
    expect(parsePing(output)).toEqual(is)
  })
})

describe('looking again and again', () => {
  const quick = { every: 400, recheck: 40, confirm: 3, clears: 2, timeout: 1000, slow: null }
  const until = async (what: () => boolean) => {
    for (const end = Date.now() + 5000; Date.now() < end;) {
      if (what()) return
      await new Promise((done) => setTimeout(done, 5))
    }
    expect.fail('it did not come to pass')
  }
  const withLook = (look: Looking['look']): Looking => ({ addressOf: () => Promise.resolve('198.51.100.7'), look })
  const script = (outcomes: ('good' | 'bad' | Error)[]) => {
    const at: number[] = []
    return {
      at,
      lookAt: (): Promise<Looked> => {
        at.push(performance.now())
        const next = outcomes[Math.min(at.length, outcomes.length) - 1]!
        if (next instanceof Error) return Promise.reject(next)
        return Promise.resolve(next === 'good' ? { outcome: 'good', time: 5 } : { outcome: 'bad', fault: 'timeout' })
      },
    }
  }
  const port = ask({ check: 'port', port: 9 }, 'db.branch.example', { pace: quick })

  it('a failure is looked at again sooner, told at once when it is confirmed, and so is its end', async () => {
    const { at, lookAt } = script(['good', 'good', 'bad', 'bad', 'bad', 'good', 'good'])
    const urgent: (string | undefined)[] = []
    let last: ProbeTold | undefined
    const prober = new Prober((isUrgent) => {
      last = prober.take()[0] ?? last
      if (isUrgent) urgent.push(`${last?.outcome} ${last?.inARow}`)
    }, withLook(lookAt))
    prober.follow([port])
    await until(() => at.length >= 8)
    prober.stop()
    expect(urgent).toEqual(['good 1', 'good 2', 'bad 3', 'good 2'])
    const gaps = at.slice(1).map((time, i) => time - at[i]!)
    // From the second good one to the first bad one a whole time, then two quick ones.
    expect(gaps[1]!).toBeGreaterThan(300)
    expect(Math.max(gaps[2]!, gaps[3]!)).toBeLessThan(300)
    expect(gaps[4]!).toBeGreaterThan(300)
  })
  it('what throws costs its own look alone, and the agent’s own want is no fault of theirs', async () => {
    const own = Object.assign(new Error('too many open files'), { code: 'EMFILE' })
    const { lookAt } = script([own])
    const prober = new Prober(() => undefined, withLook(lookAt))
    prober.follow([port, { ...port, id: 2 }])
    let told: ProbeTold[] = []
    await until(() => (told = [...told, ...prober.take()]).length >= 2)
    prober.stop()
    expect(told[0]).toMatchObject({ outcome: 'trouble', detail: 'too many open files' })
    expect(new Set(told.map(({ id }) => id))).toEqual(new Set([1, 2]))
  })
  it('one that takes longer than it may has failed by then, and its connection is ended', async () => {
    let isEnded = false
    const prober = new Prober(
      () => undefined,
      withLook((_ask, _address, stop) => {
        stop.addEventListener('abort', () => (isEnded = true))
        return new Promise(() => undefined)
      }),
    )
    const began = performance.now()
    prober.follow([{ ...port, pace: { ...quick, timeout: 300 } }])
    let told: ProbeTold[] = []
    await until(() => (told = prober.take()).length === 1)
    prober.stop()
    expect(told[0]).toMatchObject({ outcome: 'bad', fault: 'timeout' })
    expect(performance.now() - began).toBeLessThan(2000)
    expect(isEnded).toBe(true)
  })
  it('what was not taken is told again, what changed begins anew, what is not asked any more ends', async () => {
    const { lookAt } = script(['bad'])
    const prober = new Prober(() => undefined, withLook(lookAt))
    prober.follow([port])
    let told: ProbeTold[] = []
    await until(() => (told = prober.take()).length === 1)
    prober.putBack(told)
    expect(prober.take()).toHaveLength(1)
    await until(() => (prober.take()[0]?.inARow ?? 0) >= 3)
    prober.follow([{ ...port, host: 'db-2.branch.example' }])
    await until(() => (told = prober.take()).length === 1)
    expect(told[0]!.inARow).toBe(1)
    prober.follow([])
    expect(prober.take()).toEqual([])
    expect(prober.readings()).toEqual([])
  })
  it('readings say how quickly and how often, also where nothing was looked at since, and never twice of one name', async () => {
    const { at, lookAt } = script(['good', 'good', 'good', 'good', 'bad', 'bad'])
    const prober = new Prober(() => undefined, withLook(lookAt))
    prober.follow([port, { ...port, id: 2 }])
    await until(() => at.length >= 4)
    const name = 'port 9, db.branch.example'
    const all = prober.readings()
    expect(all).toEqual([
      ['reach.failed', name, 0],
      ['reach.time', name, 5],
    ])
    expect(prober.readings()).toEqual(all)
    prober.stop()
  })
  it('one whose name does not come keeps nobody else from looking, and is no fault of theirs', async () => {
    const { lookAt } = script(['good'])
    const prober = new Prober(() => undefined, {
      addressOf: (host) => (host === 'hangs.example' ? new Promise(() => undefined) : Promise.resolve('198.51.100.7')),
      look: lookAt,
    })
    prober.follow([
      ...Array.from({ length: 20 }, (_, i) => ({ ...port, id: 100 + i, host: 'hangs.example' })),
      { ...port, id: 1 },
    ])
    let told: ProbeTold[] = []
    await until(() => (told = [...told, ...prober.take()]).length > 0)
    prober.stop()
    expect(new Set(told.map(({ id }) => id))).toEqual(new Set([1]))
  })
  it('what failed while the server could not be reached is confirmed anew', async () => {
    const { lookAt } = script(['bad'])
    const prober = new Prober(() => undefined, withLook(lookAt))
    prober.follow([{ ...port, pace: { ...quick, every: 60_000 } }])
    await until(() => (prober.take()[0]?.inARow ?? 0) === 3)
    prober.doubt()
    expect(prober.take()).toMatchObject([{ outcome: 'bad', inARow: 1, lasts: 0 }])
    prober.stop()
  })
  it('words go out one after the other, and what does not arrive is told again', async () => {
    const bodies: string[] = []
    let answers: ((status: number) => void)[] = []
    const port = await listen(
      createPage((request, response) => {
        const chunks: Buffer[] = []
        request.on('data', (chunk: Buffer) => chunks.push(chunk))
        request.on('end', () => {
          bodies.push(gunzipSync(Buffer.concat(chunks)).toString())
          answers.push((status) => response.writeHead(status, { 'content-type': 'application/json' }).end('{}'))
        })
      }),
    )
    let waiting = [{ id: 1 }] as ProbeTold[]
    let doubts = 0
    const telling = new Telling(
      { server: `http://127.0.0.1:${port}`, deviceId: 1, deviceKey: 'k', name: 'd', interval: 60_000 },
      {
        take: () => waiting.splice(0),
        putBack: (told) => (waiting = [...told, ...waiting]),
        doubt: () => void doubts++,
      },
      () => undefined,
    )
    telling.soon(true)
    await until(() => answers.length === 1)
    // The first one is still under way.
    waiting.push({ id: 2 } as ProbeTold)
    telling.soon(true)
    await new Promise((done) => setTimeout(done, 600))
    expect(bodies).toHaveLength(1)
    answers[0]!(500)
    answers = []
    await until(() => answers.length === 1)
    expect([JSON.parse(bodies[1]!), doubts]).toEqual([{ probes: [{ id: 1 }, { id: 2 }] }, 1])
    answers[0]!(200)
    telling.stop()
  })
  it('no more at once than there is room for, and in order', async () => {
    const slots = new Slots(2)
    let most = 0
    let now = 0
    const order: number[] = []
    await Promise.all(
      [1, 2, 3, 4, 5].map((n) =>
        slots
          .use(async () => {
            most = Math.max(most, ++now)
            order.push(n)
            await new Promise((done) => setTimeout(done, 5))
            now--
            if (n === 2) throw new Error('no')
          })
          .catch(() => undefined),
      ),
    )
    expect([most, now, order]).toEqual([2, 0, [1, 2, 3, 4, 5]])
  })
})
