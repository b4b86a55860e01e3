/** Where the text comes from that counters stand in. */
export type CounterPlace =
  /** A page that the machine itself serves. */
  | { at: 'page'; url: string }
  /** A socket of the machine, of a file or of a port, that answers to a line. */
  | { at: 'socket'; path: string }
  | { at: 'port'; host: string; port: number }
  | { at: 'file'; path: string }
  /** What the agent asks by itself, as root does it with the program's own tools. */
  | { at: 'own'; program: OwnProgram }

/** Programs that tell only root, or in their own protocol: the agent's installation knows how to ask them. */
export const ownPrograms = ['postgresql', 'mariadb', 'postfix', 'exim', 'openldap', 'active-directory'] as const
export type OwnProgram = (typeof ownPrograms)[number]

const isLoopback = (host: string) =>
  host === 'localhost' || host === '[::1]' || host === '::1' || /^127(?:\.\d{1,3}){3}$/.test(host)
const windowsPath = /^[a-z]:[\\/]/i

/** What somebody wrote that is no place, as a sentence that says how it should be. */
export class CounterPlaceError extends Error {}

/**
 * Where to read, as it is written: `http://127.0.0.1/nginx_status`, `unix:/run/x.sock`, `tcp:127.0.0.1:11211`,
 * `/run/x.json`, or the name of a program that the agent asks itself. Nothing but the machine itself is asked.
 * @throws CounterPlaceError
 */
export function readCounterPlace(text: string): CounterPlace {
  if ((ownPrograms as readonly string[]).includes(text)) return { at: 'own', program: text as OwnProgram }
  if (/^https?:/i.test(text)) return readPage(text)
  if (text.startsWith('unix:')) return { at: 'socket', path: readPath(text.slice('unix:'.length)) }
  if (text.startsWith('tcp:')) return readPort(text.slice('tcp:'.length))
  if (text.startsWith('/') || windowsPath.test(text)) return { at: 'file', path: readPath(text) }
  throw new CounterPlaceError(
    `“${text}” is no place: write http://127.0.0.1/status, unix:/run/x.sock, tcp:127.0.0.1:11211, a file with its folder, or ${ownPrograms.join(', ')}.`,
  )
}

function readPage(text: string): CounterPlace {
  const url = URL.canParse(text) ? new URL(text) : null
  if (!url) throw new CounterPlaceError(`“${text}” is no address of a page.`)
  if (!isLoopback(url.hostname))
    throw new CounterPlaceError(
      `“${url.hostname}” is another machine: an agent asks its own alone, by 127.0.0.1, [::1] or localhost.`,
    )
  if (url.username || url.password)
    throw new CounterPlaceError('An address with a password is kept where everybody reads it: let the page need none.')
  return { at: 'page', url: url.href }
}

function readPort(text: string): CounterPlace {
  const match = /^(.+):(\d{1,5})$/.exec(text)
  const port = Number(match?.[2])
  if (!match || port < 1 || port > 65_535)
    throw new CounterPlaceError(`“tcp:${text}” has no port: write tcp:127.0.0.1:11211.`)
  const host = match[1]!
  if (!isLoopback(host))
    throw new CounterPlaceError(`“${host}” is another machine: an agent asks its own alone, by 127.0.0.1 or [::1].`)
  return { at: 'port', host: host.replace(/[[\]]/g, ''), port }
}

function readPath(text: string): string {
  const isWhole = (text.startsWith('/') || windowsPath.test(text)) && !/[*?\p{Cc}]/u.test(text)
  if (!isWhole || text.split(/[\\/]+/).some((part) => part === '..' || part === '.'))
    throw new CounterPlaceError(`“${text}” is no file: write it from the root, without * and without ..`)
  return text
}

/**
 * Words that a line to a socket may begin with: what asks, in programs that are asked by lines. Whatever else they
 * understand may change them, and no watch does that.
 */
const asking = ['stats', 'status', 'info', 'show', 'mntr', 'version', 'ping']

/** Why a line is not sent to a socket, as a sentence; null: it may. */
export function sayingFault(text: string): string | null {
  if (text === '') return null
  if (!/^[\x20-\x7e]{1,100}$/.test(text)) return 'Up to 100 plain characters in one line.'
  const [first = ''] = text.toLowerCase().split(/[\s;|&]/)
  if (/[;|&]/.test(text)) return 'One line with one question: without ; | and &.'
  return asking.includes(first) ? null : `“${text}” might change something: a line begins with ${asking.join(', ')}.`
}

/** Why a place is none; null: it is one. */
export function placeFault(text: string): string | null {
  try {
    readCounterPlace(text)
    return null
  } catch (error) {
    if (!(error instanceof CounterPlaceError)) throw error
    return error.message
  }
}
