import { mkdirSync, mkdtempSync, readdirSync, rmSync, utimesSync, writeFileSync } from 'node:fs'
import { execFileSync } from 'node:child_process'
import { createServer, type Server } from 'node:http'
import { createServer as createPlain, type AddressInfo, type Server as PlainServer, type Socket } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { buildSync } from 'esbuild'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { minute, type CounterAsk, type CountersTold, type Reading } from '#core'
import { Counters, countersCollector } from '.'
import { ownOfLinux } from './own'
import { counterLimits } from './sources'

const folder = mkdtempSync(join(tmpdir(), 'custode-counters-'))
let page: Server
let plain: PlainServer
let open: PlainServer
const sockets = new Set<Socket>()
const asked: string[] = []
const portOf = (server: Server | PlainServer) => (server.address() as AddressInfo).port

beforeAll(async () => {
  page = createServer((request, response) => {
    if (request.url === '/status') response.end('Active connections: 7\n')
    else if (request.url === '/away') response.writeHead(302, { location: 'http://198.51.100.7/' }).end()
    else if (request.url === '/large') response.end('x'.repeat(2_000_000))
    else if (request.url !== '/hangs') response.writeHead(404).end()
  })
  // One that says all and closes, and one that keeps the connection.
  plain = createPlain((socket) => socket.end('n: 5\n'))
  open = createPlain((socket) => {
    sockets.add(socket)
    socket.on('data', (piece) => {
      asked.push(piece.toString())
      socket.write('STAT items 12\r\nEND\r\n')
    })
  })
  await Promise.all(
    [page, plain, open].map((server) => new Promise<void>((done) => server.listen(0, '127.0.0.1', done))),
  )
})
afterAll(() => {
  for (const socket of sockets) socket.destroy()
  page.closeAllConnections()
  for (const server of [page, plain, open]) server.close()
  rmSync(folder, { recursive: true })
})

const ask = (from: string, counters: string[], more: Partial<CounterAsk> = {}): CounterAsk => ({
  name: 'app',
  from,
  say: '',
  old: null,
  counters,
  ...more,
})
async function look(...asks: CounterAsk[]): Promise<{ readings: Reading[]; told: CountersTold[] }> {
  const own = ownOfLinux(folder, join(folder, 'none'), join(folder, 'none'))
  const { readings = [], facts } = await countersCollector(() => asks, own).collect(Date.now())
  return { readings, told: facts?.counters ?? [] }
}
const file = (name: string, text: string, age = 0) => {
  const path = join(folder, name)
  writeFileSync(path, text)
  const at = (Date.now() - age) / 1000
  utimesSync(path, at, at)
  return path
}

describe('what programs tell', () => {
  it('a page', async () => {
    const from = `http://127.0.0.1:${portOf(page)}/status`
    expect(await look(ask(from, ['connections = after "Active connections:"']))).toEqual({
      readings: [['counter.number', 'app: connections', 7]],
      told: [{ name: 'app', from, series: [{ name: 'app: connections', metric: 'counter.number' }], missing: [] }],
    })
  })
  it('a socket that closes, and one that waits for the next line', async () => {
    const { readings } = await look(
      ask(`tcp:127.0.0.1:${portOf(plain)}`, ['n = after "n:"']),
      ask(`tcp:127.0.0.1:${portOf(open)}`, ['items = after "STAT items"'], { name: 'cache', say: 'stats' }),
    )
    expect(readings).toEqual([
      ['counter.number', 'app: n', 5],
      ['counter.number', 'cache: items', 12],
    ])
    expect(asked).toEqual(['stats\r\n'])
  })
  it('a line that might change something is sent by no agent, whoever asks for it', async () => {
    const before = asked.length
    for (const say of ['flush_all', 'stats\r\nflush_all', 'stats; flush_all'])
      expect(
        (await look(ask(`tcp:127.0.0.1:${portOf(open)}`, ['n = after "STAT items"'], { say }))).told[0],
      ).toMatchObject({
        trouble: 'other',
        series: [],
      })
    expect(asked.length).toBe(before)
  })
  it('a file, with parts that come and go and values that are beyond all measure', async () => {
    const from = file('state.json', '{"pools":{"www":{"n":3},"api":{"n":1e300}},"used":2048}')
    const { readings, told } = await look(ask(from, ['n = /pools/*/n', 'used = /used, bytes', 'gone = /gone']))
    expect(readings).toEqual([
      ['counter.number', 'app: n of www', 3],
      ['counter.bytes', 'app: used', 2048],
    ])
    expect(told[0]!.series.map(({ name }) => name)).toEqual(['app: n of www', 'app: n of api', 'app: used'])
    expect(told[0]!.missing).toEqual(['gone'])
  })
  it('names of parts are in one line, and well-formed', async () => {
    const from = file('odd.json', '{"a\\u0000b\\nc":1,"d\\ud800":2}')
    const { told } = await look(ask(from, ['n = /*']))
    expect(told[0]!.series.map(({ name }) => name)).toEqual(['app: n of a b c', 'app: n of d'])
  })
  it.each([
    ['nothing listens', () => 'http://127.0.0.1:9/x', 'refused'],
    ['not found', () => `http://127.0.0.1:${portOf(page)}/nothing`, 'status'],
    ['leads to another machine: that is not followed', () => `http://127.0.0.1:${portOf(page)}/away`, 'status'],
    ['far too much', () => `http://127.0.0.1:${portOf(page)}/large`, 'large'],
    ['another machine is never asked', () => 'http://198.51.100.7/', 'other'],
    ['no file', () => join(folder, 'nothing.json'), 'absent'],
    ['a folder', () => folder, 'absent'],
    ['a socket that is not there', () => `unix:${join(folder, 'x.sock')}`, 'absent'],
    ['no JSON', () => file('broken.json', '{"a":'), 'not-json'],
    ['what root was never set up to ask', () => 'postgresql', 'not-installed'],
    ['of the other system', () => 'active-directory', 'not-here'],
  ])('%s', async (_, from, trouble) => {
    const { readings, told } = await look(
      ask(from(), ['a = /a']),
      ask(file('well.json', '{"a":1}'), ['a = /a'], { name: 'other' }),
    )
    expect(told.map((each) => each.trouble)).toEqual([trouble, undefined])
    expect(told[0]!.series).toEqual([])
    expect(readings).toEqual([['counter.number', 'other: a', 1]])
  })
  it('where nobody asks any more there are none', async () => {
    const none = countersCollector(() => [], ownOfLinux(null))
    expect(await none.collect(Date.now())).toEqual({ facts: { counters: [] } })
  })
  it('does not wait for ever', { timeout: 30_000 }, async () => {
    const { told } = await look(ask(`http://127.0.0.1:${portOf(page)}/hangs`, ['a = /a']))
    expect(told[0]!.trouble).toBe('timeout')
  })
  it('a file that nobody writes any more tells of another time', async () => {
    const from = file('old.json', '{"a":1}', 2 * 60 * minute)
    const trouble = async (old: number | null) => (await look(ask(from, ['a = /a'], { old }))).told[0]!.trouble
    expect([await trouble(60 * minute), await trouble(null)]).toEqual(['old', undefined])
  })
  it('more than a report has room for is none of that program, and the others are told', async () => {
    const list = JSON.stringify(Array.from({ length: 50 }, (_, i) => i))
    const from = file('long.json', list)
    const lines = Array.from({ length: 11 }, (_, i) => `n${i} = /*`)
    const { readings, told } = await look(ask(file('a.json', '[1]'), ['a = /*'], { name: 'first' }), ask(from, lines))
    expect(told.map((each) => each.trouble)).toEqual([undefined, 'too-many'])
    expect(readings).toEqual([['counter.number', 'first: a of 1', 1]])
  })
  it('one that has no room leaves it to those behind it', async () => {
    const list = JSON.stringify(Array.from({ length: 50 }, (_, i) => i))
    const lines = Array.from({ length: 11 }, (_, i) => `n${i} = /*`)
    const { told } = await look(
      ask(file('long.json', list), lines),
      ask(file('a.json', '[1]'), ['a = /*'], { name: 'behind' }),
    )
    expect(told.map((each) => each.trouble)).toEqual(['too-many', undefined])
  })
})

// An agent has so much memory for all that it does (`install/unit.ts`).
describe('whatever is read, it is read in 32 MB', () => {
  const size = counterLimits.bytes - 16
  const texts = {
    ones: `[${'1,'.repeat(size / 2 - 4)}1]`,
    objects: `[${'{},'.repeat(Math.floor(size / 3) - 4)}{}]`,
    nested: `${'['.repeat(size / 2)}${']'.repeat(size / 2)}`,
    named: `{${Array.from({ length: 45_000 }, (_, i) => `"n${i}":${i}`).join(',')}}`,
    samples: 'a 1\n'.repeat(size / 4),
    labelled: 'a{b="1"} 1\n'.repeat(Math.floor(size / 11)),
    others: 'b{b="1"} 1\n'.repeat(Math.floor(size / 11)),
    lines: '\n'.repeat(size),
  }
  const from = Object.entries(texts).map(([name, text]) => [name, file(`big-${name}`, text)] as const)
  const bundle = join(folder, 'reading.cjs')
  buildSync({
    stdin: {
      contents: `import { countersCollector } from '.'
import { ownOfLinux } from './own'
const asks = JSON.parse(process.argv[2])
countersCollector(() => asks, ownOfLinux(null)).collect(Date.now()).then(({ readings, facts }) => {
  console.log(JSON.stringify([facts.counters.map(({ name, trouble }) => [name, trouble ?? 'none']), readings]))
})`,
      resolveDir: import.meta.dirname,
      loader: 'ts',
    },
    bundle: true,
    platform: 'node',
    outfile: bundle,
    logLevel: 'error',
  })
  const tell = (lineOf: (name: string) => string) => {
    const asks = from.map(([name, path]) => ask(path, [lineOf(name)], { name }))
    const said = execFileSync(process.execPath, ['--max-old-space-size=32', bundle, JSON.stringify(asks)])
    return JSON.parse(said.toString('utf8')) as [[string, string][], Reading[]]
  }
  const isJson = (name: string) => ['ones', 'objects', 'nested', 'named'].includes(name)
  it('one after the other, and what is too much is told', () => {
    const [troubles] = tell((name) => (isJson(name) ? 'n = /*' : name === 'lines' ? 'n = lines with "x"' : 'n = a'))
    expect(Object.fromEntries(troubles)).toEqual({
      ones: 'large',
      objects: 'large',
      nested: 'large',
      named: 'too-many',
      samples: 'too-many',
      labelled: 'too-many',
      others: 'none',
      lines: 'none',
    })
  })
  it('sums of all there is', () => {
    const [, readings] = tell((name) => (isJson(name) ? 'n = sum of /*' : 'n = sum of a'))
    expect(readings).toEqual([
      ['counter.number', 'named: n', (44_999 * 45_000) / 2],
      ['counter.number', 'samples: n', size / 4],
      ['counter.number', 'labelled: n', Math.floor(size / 11)],
    ])
  })
})

describe('what only rises', () => {
  const lines = ask('/x', ['n = /n, per second'])
  const read = (counters: Counters, at: number, n: number) =>
    counters.read(lines, { text: JSON.stringify({ n }), at }, at).readings.map(([, , value]) => value)
  it('is told from the second look on, also across one at which nothing could be read', () => {
    const counters = new Counters()
    expect(read(counters, 0, 100)).toEqual([])
    counters.turn([])
    expect(read(counters, 10_000, 150)).toEqual([5])
    counters.turn([])
    counters.turn(['app'])
    expect(read(counters, 30_000, 350)).toEqual([10])
  })
  it('another line of the same name, or another place, begins anew', () => {
    const counters = new Counters()
    read(counters, 0, 100)
    counters.turn([])
    const text = { text: '{"n":150,"m":9000}', at: 10_000 }
    const values = (asked: CounterAsk) => new Counters().read(asked, text, 10_000).readings.length
    expect(values(lines)).toBe(0)
    expect(counters.read({ ...lines, counters: ['n = /m, per second'] }, text, 10_000).readings).toEqual([])
    expect(counters.read({ ...lines, from: '/y' }, text, 10_000).readings).toEqual([])
    expect(read(counters, 10_000, 150)).toEqual([5])
  })
  it('begins anew when its program is not asked any more', () => {
    const counters = new Counters()
    read(counters, 0, 100)
    counters.turn([])
    counters.turn([])
    expect(read(counters, 10_000, 150)).toEqual([])
  })
})

describe('programs that root asks', () => {
  const home = join(folder, 'home')
  const said = join(folder, 'said')
  const own = ownOfLinux(home, said, folder)
  const text = (now = Date.now()) =>
    own.text('postfix', now).catch((error: { trouble: string; detail: string }) => [error.trouble, error.detail])
  it('are marked, and no longer when nobody asks', () => {
    mkdirSync(home)
    own.want(['postfix', 'mariadb'])
    own.want(['postfix'])
    expect(readdirSync(join(home, 'counters-wanted'))).toEqual(['postfix'])
    own.want([])
    expect(readdirSync(join(home, 'counters-wanted'))).toEqual([])
  })
  it('that cannot be marked say why, and cost the others nothing', async () => {
    const none = ownOfLinux(join(folder, 'well.json'), said, folder)
    none.want(['postfix'])
    await expect(none.text('postfix', Date.now())).rejects.toMatchObject({ trouble: 'failed' })
  })
  it('tell, say why not, and nothing of another time counts', async () => {
    mkdirSync(said)
    expect(await text()).toEqual(['waiting', ''])
    writeFileSync(join(said, 'postfix'), '0\n{"queued":3}\n')
    expect(await text()).toMatchObject({ text: '{"queued":3}\n' })
    expect(await text(Date.now() + 6 * minute)).toEqual(['waiting', ''])
    writeFileSync(join(said, 'postfix'), '127\npostqueue is not installed\n')
    expect(await text()).toEqual(['not-here', 'postqueue is not installed'])
    writeFileSync(join(said, 'postfix'), '69\npostqueue: fatal: Mail system is down\n')
    expect(await text()).toEqual(['failed', 'postqueue: fatal: Mail system is down'])
    writeFileSync(join(said, 'postfix'), '')
    expect(await text()).toEqual(['failed', ''])
  })
})
