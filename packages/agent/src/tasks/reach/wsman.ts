import { createHash, randomUUID } from 'node:crypto'
import { request } from 'node:https'
import type { TLSSocket } from 'node:tls'
import { XMLParser } from 'fast-xml-parser'
import { durationText, type Millis } from '#core'
import type { HostKey } from './hostKey'
import { inTime, StoppedError } from './stopped'
import { readerScript } from '../../powershell/scripts'
import { wsmanPort } from './wsmanPort'

/**
 * Runs programs on Windows over WS-Management (DSP0226) as Windows does it ([MS-WSMV]): a shell is created, a command
 * begun in it, given its input, and asked for its output until it is done. Over TLS only: sign-ins go as Basic (RFC
 * 7617).
 */
const answerWithin: Millis = 20_000
const scriptWithin: Millis = 60_000
const mostBytes = 8e6
const shell = 'http://schemas.microsoft.com/wbem/wsman/1/windows/shell'
const transfer = 'http://schemas.xmlsoap.org/ws/2004/09/transfer'

const escaped = (text: string) =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;')

function envelope(to: string, action: string, body: string, shellId: string | null): string {
  return `<?xml version="1.0" encoding="UTF-8"?>
<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:a="http://schemas.xmlsoap.org/ws/2004/08/addressing" xmlns:w="http://schemas.dmtf.org/wbem/wsman/1/wsman.xsd" xmlns:rsp="${shell}">
<s:Header><a:To>${escaped(to)}</a:To><a:ReplyTo><a:Address s:mustUnderstand="true">http://schemas.xmlsoap.org/ws/2004/08/addressing/role/anonymous</a:Address></a:ReplyTo>
<a:Action s:mustUnderstand="true">${action}</a:Action><a:MessageID>uuid:${randomUUID()}</a:MessageID><w:MaxEnvelopeSize s:mustUnderstand="true">153600</w:MaxEnvelopeSize><w:OperationTimeout>PT15S</w:OperationTimeout>
<w:ResourceURI s:mustUnderstand="true">${shell}/cmd</w:ResourceURI>${shellId ? `<w:SelectorSet><w:Selector Name="ShellId">${escaped(shellId)}</w:Selector></w:SelectorSet>` : ''}</s:Header>
<s:Body>${body}</s:Body></s:Envelope>`
}

interface Element {
  [name: string]: unknown
}
// Names without their prefixes, which every implementation chooses for itself; what may come several times is always a
// list.
const parser = new XMLParser({
  ignoreAttributes: false,
  removeNSPrefix: true,
  parseTagValue: false,
  parseAttributeValue: false,
  attributeNamePrefix: '@',
  isArray: (name) => name === 'Stream',
})

export interface Access {
  address: string
  user: string
  password: string
  /** Its certificate stands where a host key does. */
  key: HostKey
  /** For one answer; a script has three times as long. */
  within?: Millis
}

class FaultError extends Error {}
/** The operation is still going on; ask again. Its number is WSMAN's own, ERROR_WSMAN_OPERATION_TIMEDOUT. */
const stillGoing = '2150858793'

export class Wsman {
  readonly #url: string
  constructor(private readonly access: Access) {
    this.#url = `https://${access.address.includes(':') ? `[${access.address}]` : access.address}:${wsmanPort}/wsman`
  }

  /**
   * One request, once the certificate of the machine is the accepted one. A refused sign-in is an answer with status
   * 401.
   * @throws StoppedError no answer; host key changed; something else: an answer without end
   */
  #post(text: string): Promise<{ status: number; text: string }> {
    const { user, password, key, within = answerWithin } = this.access
    let close = () => undefined as void
    return inTime(
      new Promise((resolve, reject) => {
        const asking = request(this.#url, { method: 'POST', rejectUnauthorized: false, agent: false }, (response) => {
          const chunks: Buffer[] = []
          let size = 0
          response.on('data', (chunk: Buffer) => {
            chunks.push(chunk)
            size += chunk.length
            if (size > mostBytes) asking.destroy(new StoppedError('something-else', 'It answers without end.'))
          })
          response.on('end', () =>
            resolve({ status: response.statusCode ?? 0, text: Buffer.concat(chunks).toString('utf8') }),
          )
          response.on('error', reject)
        })
        asking.on('error', (error) =>
          reject(
            error instanceof StoppedError
              ? error
              : new StoppedError(
                  'no-answer',
                  `Nothing answers as WS-Management at ${this.access.address}, port ${wsmanPort}: ${error.message}`,
                ),
          ),
        )
        close = () => {
          asking.destroy()
        }
        // Nothing is sent, the sign-in least of all, before its certificate has been looked at.
        asking.on('socket', (socket) =>
          socket.once('secureConnect', () => {
            try {
              key.meet(
                createHash('sha256')
                  .update((socket as TLSSocket).getPeerCertificate(true).raw)
                  .digest('base64'),
              )
              key.requirePasswords()
            } catch (error) {
              asking.destroy(error as StoppedError)
              return
            }
            asking.setHeader('content-type', 'application/soap+xml;charset=UTF-8')
            asking.setHeader('authorization', `Basic ${Buffer.from(`${user}:${password}`, 'utf8').toString('base64')}`)
            asking.end(text)
          }),
        )
      }),
      within,
      () => {
        close()
      },
    )
  }

  async #call(action: string, words: string, shellId: string | null): Promise<Element | null> {
    const { status, text } = await this.#post(envelope(this.#url, action, words, shellId))
    if (status === 401) return null
    const { Envelope } = parser.parse(text) as {
      Envelope?: {
        Body?:
          '' | (Element & { Fault?: { Reason?: { Text?: unknown }; Detail?: { WSManFault?: Record<string, string> } } })
      }
    }
    // An empty body, as the answer to some actions has, is read as an empty text.
    const body = Envelope?.Body === '' ? {} : Envelope?.Body
    const fault = body?.Fault
    if (fault) {
      if (fault.Detail?.WSManFault?.['@Code'] === stillGoing) throw new FaultError(stillGoing)
      const words = fault.Reason?.Text
      throw new StoppedError(
        'something-else',
        `It answered: ${(typeof words === 'string' ? words : JSON.stringify(words ?? '')).slice(0, 300)}`,
      )
    }
    if (status !== 200 || !body)
      throw new StoppedError(
        'no-answer',
        `What answers at port ${wsmanPort} does not speak WS-Management (status ${status}).`,
      )
    return body
  }

  /** @returns the number of the shell, or null when the sign-in is refused */
  async open(): Promise<string | null> {
    const body = await this.#call(
      `${transfer}/Create`,
      '<rsp:Shell><rsp:InputStreams>stdin</rsp:InputStreams><rsp:OutputStreams>stdout stderr</rsp:OutputStreams></rsp:Shell>',
      null,
    )
    if (!body) return null
    const made = body as {
      Shell?: { ShellId?: string }
      ResourceCreated?: { ReferenceParameters?: { SelectorSet?: { Selector?: { '#text'?: string } } } }
    }
    const id = made.Shell?.ShellId ?? made.ResourceCreated?.ReferenceParameters?.SelectorSet?.Selector?.['#text']
    if (!id) throw new StoppedError('something-else', 'It made a shell without saying which.')
    return id
  }

  /**
   * Runs a script in Windows PowerShell, which reads it from its input: what is in it stands in no list of processes.
   * @throws StoppedError timed out when it is still going on after so long
   */
  async powershell(
    shellId: string,
    script: string,
    within: Millis = this.access.within ? 3 * this.access.within : scriptWithin,
  ): Promise<{ code: number; output: string; errors: string }> {
    const reads = Buffer.from(readerScript, 'utf16le').toString('base64')
    const begun = (await this.#call(
      `${shell}/Command`,
      `<rsp:CommandLine><rsp:Command>powershell.exe</rsp:Command><rsp:Arguments>-NoProfile -NonInteractive -EncodedCommand ${reads}</rsp:Arguments></rsp:CommandLine>`,
      shellId,
    )) as { CommandResponse?: { CommandId?: string } } | null
    const id = begun?.CommandResponse?.CommandId
    if (!id) throw new StoppedError('no-rights', 'This sign-in may not run programs there.')
    await this.#call(
      `${shell}/Send`,
      `<rsp:Send><rsp:Stream Name="stdin" CommandId="${escaped(id)}" End="true">${Buffer.from(script, 'utf8').toString('base64')}</rsp:Stream></rsp:Send>`,
      shellId,
    )
    const said: Record<string, string> = { stdout: '', stderr: '' }
    for (const began = performance.now(); ;) {
      if (performance.now() - began > within)
        throw new StoppedError('timed-out', `What was begun there goes on for longer than ${durationText(within)}.`)
      let body: Element | null
      try {
        body = await this.#call(
          `${shell}/Receive`,
          `<rsp:Receive><rsp:DesiredStream CommandId="${escaped(id)}">stdout stderr</rsp:DesiredStream></rsp:Receive>`,
          shellId,
        )
      } catch (error) {
        if (error instanceof FaultError) continue
        throw error
      }
      const received = (
        body as {
          ReceiveResponse?: {
            Stream?: { '@Name': string; '#text'?: string }[]
            CommandState?: { '@State': string; ExitCode?: string }
          }
        } | null
      )?.ReceiveResponse
      for (const stream of received?.Stream ?? [])
        said[stream['@Name']] =
          (said[stream['@Name']] ?? '') + Buffer.from(stream['#text'] ?? '', 'base64').toString('utf8')
      if (received?.CommandState?.['@State'].endsWith('/Done'))
        return { code: Number(received.CommandState.ExitCode ?? 0), output: said.stdout!, errors: said.stderr! }
    }
  }

  async close(shellId: string): Promise<void> {
    await this.#call(`${transfer}/Delete`, '', shellId).catch(() => undefined)
  }
}
