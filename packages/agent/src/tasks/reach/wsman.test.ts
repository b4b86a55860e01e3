import { execFileSync } from 'node:child_process'
import { createHash, X509Certificate } from 'node:crypto'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import type { IncomingMessage } from 'node:http'
import { createServer, type Server } from 'node:https'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { HostKey } from './hostKey'
import { identifyWindows } from './identify'
import { Wsman } from './wsman'
import { wsmanPort } from './wsmanPort'

const address = '127.77.1.9'
const folder = mkdtempSync(join(tmpdir(), 'custode-wsman-'))
let server: Server
let fingerprint: string
let asked: { authorization: string | undefined; action: string; text: string }[]
let answer: (action: string) => [status: number, body: string]
const soap = (body: string) =>
  `<?xml version="1.0"?><env:Envelope xmlns:env="http://www.w3.org/2003/05/soap-envelope" xmlns:q="http://schemas.microsoft.com/wbem/wsman/1/windows/shell"><env:Header/><env:Body>${body}</env:Body></env:Envelope>`
const base64 = (text: string) => Buffer.from(text).toString('base64')

async function read(request: IncomingMessage): Promise<string> {
  const chunks: Buffer[] = []
  for await (const chunk of request) chunks.push(chunk as Buffer)
  return Buffer.concat(chunks).toString()
}
beforeAll(async () => {
  const [key, certificate] = [join(folder, 'key.pem'), join(folder, 'certificate.pem')]
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
      certificate,
      '-days',
      '2',
      '-subj',
      '/CN=tm-office-dc.example',
    ],
    { stdio: 'ignore' },
  )
  fingerprint = createHash('sha256')
    .update(new X509Certificate(readFileSync(certificate)).raw)
    .digest('base64')
  server = createServer({ key: readFileSync(key), cert: readFileSync(certificate) }, (request, response) => {
    void read(request).then((text) => {
      const action = /<a:Action[^>]*>[^<]*\/(\w+)<\/a:Action>/.exec(text)?.[1] ?? ''
      asked.push({ authorization: request.headers.authorization, action, text })
      const [status, body] = answer(action)
      response.writeHead(status, { 'content-type': 'application/soap+xml' }).end(body)
    })
  })
  await new Promise<void>((resolve) => server.listen(wsmanPort, address, resolve))
})
afterAll(() => {
  server.close()
  rmSync(folder, { recursive: true })
})
beforeEach(() => {
  asked = []
})

const me = (key = new HostKey(null, true)) => new Wsman({ address, user: 'tech', password: 'pässword', key })
let polls = 0
const working = (action: string): [number, string] => {
  switch (action) {
    case 'Create':
      return [200, soap('<q:Shell><q:ShellId>S-1</q:ShellId></q:Shell>')]
    case 'Command':
      return [200, soap('<q:CommandResponse><q:CommandId>C-1</q:CommandId></q:CommandResponse>')]
    // The first time it has nothing to tell yet, which comes as a fault.
    case 'Receive':
      return polls++ === 0
        ? [
            500,
            soap(
              '<env:Fault><env:Detail><f:WSManFault xmlns:f="http://schemas.microsoft.com/wbem/wsman/1/wsmanfault" Code="2150858793"/></env:Detail></env:Fault>',
            ),
          ]
        : [
            200,
            soap(
              `<q:ReceiveResponse><q:Stream Name="stdout" CommandId="C-1">${base64('Windows Serv')}</q:Stream><q:Stream Name="stderr">${base64('oh')}</q:Stream><q:Stream Name="stdout">${base64('er 2022\r\nAMD64\r\nagent')}</q:Stream><q:CommandState State="http://schemas.microsoft.com/wbem/wsman/1/windows/shell/CommandState/Done"><q:ExitCode>3</q:ExitCode></q:CommandState></q:ReceiveResponse>`,
            ),
          ]
    default:
      return [200, soap('')]
  }
}

describe('WS-Management', () => {
  it('runs a script that it gives as input, waits for it, and joins what comes in pieces', async () => {
    answer = working
    polls = 0
    const key = new HostKey(null, true)
    const machine = me(key)
    const shell = await machine.open()
    expect(await machine.powershell(shell!, 'Get-Secret <here> & "there"')).toEqual({
      code: 3,
      output: 'Windows Server 2022\r\nAMD64\r\nagent',
      errors: 'oh',
    })
    await machine.close(shell!)
    expect(asked.map((request) => request.action)).toEqual([
      'Create',
      'Command',
      'Send',
      'Receive',
      'Receive',
      'Delete',
    ])
    expect(asked[0]!.authorization).toBe(`Basic ${base64('tech:pässword')}`)
    // The script stands in no command line: it may hold a key.
    expect(asked[1]!.text).not.toContain(base64('Get-Secret <here> & "there"'))
    expect(asked[2]!.text).toContain(base64('Get-Secret <here> & "there"'))
    expect(key.shown).toBe(fingerprint)
  })
  it('sends nothing, the sign-in least of all, to a machine that shows another certificate than the accepted one, or one that nobody has accepted', async () => {
    answer = working
    await expect(me(new HostKey('another')).open()).rejects.toMatchObject({ failure: 'host-key-changed' })
    await expect(me(new HostKey(null)).open()).rejects.toMatchObject({ failure: 'host-key-not-accepted' })
    expect(asked).toEqual([])
    expect(await me(new HostKey(fingerprint)).open()).toBe('S-1')
  })
  it('tells a refused sign-in from a machine that speaks something else, and from a fault', async () => {
    answer = () => [401, '']
    expect(await me().open()).toBeNull()
    answer = () => [404, '<html></html>']
    await expect(me().open()).rejects.toMatchObject({
      failure: 'no-answer',
      message: expect.stringContaining('does not speak WS-Management (status 404)') as string,
    })
    answer = () => [
      500,
      soap('<env:Fault><env:Reason><env:Text>The quota of shells is used up.</env:Text></env:Reason></env:Fault>'),
    ]
    await expect(me().open()).rejects.toThrow('It answered: The quota of shells is used up.')
    await expect(
      new Wsman({ address: '127.77.1.10', user: 'a', password: 'b', key: new HostKey(null, true) }).open(),
    ).rejects.toMatchObject({ failure: 'no-answer' })
  })
  it('looks what is inside, by the first sign-in that is taken', async () => {
    polls = 1
    answer = (action) => (asked.at(-1)!.authorization === `Basic ${base64('second:b')}` ? working(action) : [401, ''])
    const trials = [
      { id: 4, user: 'keys only', privateKey: 'k' },
      { id: 5, user: 'first', password: 'a' },
      { id: 6, user: 'second', password: 'b' },
    ]
    expect(await identifyWindows(address, trials, new HostKey(null, true))).toEqual({
      trial: 6,
      system: 'Windows Server 2022, AMD64',
      agent: true,
      hostKey: fingerprint,
      reason: '',
    })
    expect(await identifyWindows(address, trials.slice(0, 2), new HostKey(fingerprint))).toMatchObject({
      trial: null,
      reason: 'The sign-in first was refused.',
    })
    expect(await identifyWindows(address, trials, new HostKey('another'))).toMatchObject({
      trial: null,
      hostKey: fingerprint,
      reason: expect.stringContaining('another key') as string,
    })
  })
})
