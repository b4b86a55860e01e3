import { randomUUID } from 'node:crypto'
import type { IncomingMessage, ServerResponse } from 'node:http'
import { createServer } from 'node:https'
import { join } from 'node:path'
import { XMLParser } from 'fast-xml-parser'
import { installStatus } from '#core'
import { selfSigned } from '../certificates'
import type { Trouble } from './sshHost'

export interface WindowsHost {
  address: string
  trouble: Extract<Trouble, 'refuses the password' | 'has no space' | 'gives no rights'> | null
  user: string
  password: string
}
/** Somebody ran the server's installation script on it. @throws Error with what the machine would say */
export type Installed = (host: WindowsHost, command: { server: string; key: string; name: string }) => Promise<void>

const shellUri = 'http://schemas.microsoft.com/wbem/wsman/1/windows/shell'
const parser = new XMLParser({
  ignoreAttributes: false,
  removeNSPrefix: true,
  attributeNamePrefix: '@',
  parseTagValue: false,
})

interface Ran {
  code: number
  output: string
  errors: string
}

/**
 * There is no PowerShell here: the three scripts that come are known by their words, and answered as a machine would.
 */
async function run(host: WindowsHost, script: string, installed: Installed): Promise<Ran> {
  if (script.includes('Installs the Custode agent')) {
    const [, key = '', name = ''] = /\)\) '([^']*)'(?: -Name '([^']*)')?\s*$/.exec(script) ?? []
    const server = /''--server'', ''([^']+)''/.exec(script)?.[1] ?? ''
    try {
      await installed(host, { server, key, name: name || `win-${host.address.split('.').pop()}` })
      return { code: 0, output: 'The agent runs, and starts at boot.\r\n', errors: '' }
    } catch (error) {
      return {
        code: 1,
        output: '',
        errors: `custode-agent: ${(error as Error).message}\r\ncustode-agent [${installStatus['refused-by-the-server']}]: it was not installed\r\n`,
      }
    }
  }
  if (script.includes('Win32_OperatingSystem'))
    return { code: 0, output: `Microsoft Windows Server 2022 Standard\r\nAMD64\r\nnone\r\n`, errors: '' }
  const found = {
    architecture: 'AMD64',
    administrator: host.trouble !== 'gives no rights',
    free: host.trouble === 'has no space' ? 90e6 : 60e9,
  }
  return { code: 0, output: `${JSON.stringify(found)}\r\n`, errors: '' }
}

interface Asked {
  Envelope: {
    Header: { Action: { '#text': string } | string; SelectorSet?: unknown }
    Body: { Send?: { Stream: { '#text': string } } }
  }
}

function envelope(body: string): string {
  return `<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:rsp="${shellUri}" xmlns:x="http://schemas.xmlsoap.org/ws/2004/09/transfer"><s:Header/><s:Body>${body}</s:Body></s:Envelope>`
}

async function answer(
  host: WindowsHost,
  text: string,
  running: Map<string, string>,
  installed: Installed,
): Promise<string> {
  const { Header, Body } = (parser.parse(text) as Asked).Envelope
  const action = typeof Header.Action === 'string' ? Header.Action : Header.Action['#text']
  switch (action.split('/').pop()) {
    case 'Create':
      return `<rsp:Shell><rsp:ShellId>${randomUUID()}</rsp:ShellId></rsp:Shell>`
    case 'Command':
      return `<rsp:CommandResponse><rsp:CommandId>${randomUUID()}</rsp:CommandId></rsp:CommandResponse>`
    case 'Send':
      running.set('script', Buffer.from(Body.Send!.Stream['#text'], 'base64').toString('utf8'))
      return '<rsp:SendResponse/>'
    case 'Receive': {
      const { code, output, errors } = await run(host, running.get('script') ?? '', installed)
      const stream = (name: string, words: string) =>
        words ? `<rsp:Stream Name="${name}">${Buffer.from(words).toString('base64')}</rsp:Stream>` : ''
      return `<rsp:ReceiveResponse>${stream('stdout', output)}${stream('stderr', errors)}<rsp:CommandState State="${shellUri}/CommandState/Done"><rsp:ExitCode>${code}</rsp:ExitCode></rsp:CommandState></rsp:ReceiveResponse>`
    }
    default:
      return ''
  }
}

/**
 * A machine that answers as Windows' remote management does: WS-Management (DSP0226) over TLS at port 5986, as much of
 * [MS-WSMV] as it takes to run one script after the other.
 */
export async function openWindowsHost(
  host: WindowsHost,
  folder: string,
  installed: Installed,
): Promise<() => Promise<void>> {
  const running = new Map<string, string>()
  const right = `Basic ${Buffer.from(`${host.user}:${host.password}`).toString('base64')}`
  const take = async (request: IncomingMessage, response: ServerResponse): Promise<void> => {
    const chunks: Buffer[] = []
    for await (const chunk of request) chunks.push(chunk as Buffer)
    if (request.url !== '/wsman' || request.method !== 'POST') return void response.writeHead(404).end()
    if (request.headers.authorization !== right || host.trouble === 'refuses the password')
      return void response.writeHead(401, { 'www-authenticate': 'Basic realm="WSMAN"' }).end()
    const body = await answer(host, Buffer.concat(chunks).toString('utf8'), running, installed)
    response.writeHead(200, { 'content-type': 'application/soap+xml;charset=UTF-8' }).end(envelope(body))
  }
  const server = createServer(selfSigned(join(folder, 'certificates'), host.address), (request, response) => {
    take(request, response).catch(() => response.destroy())
  })
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject).listen(5986, host.address, resolve)
  })
  return () =>
    new Promise((resolve) => {
      server.close(() => resolve())
    })
}
