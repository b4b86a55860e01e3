import { dnsTypes, isHostName, mailProtocols, type DnsType, type MailProtocol, type ProbeCheck } from '../../../reach'
import { ageText } from '../../../text'
import { day, hour, minute, second } from '../../../units'
import { read, type WatchKind } from '../../kind'
import type { Parameter } from '../../parameter'
import { sentence } from '../../sentence'
import { reachKind } from './reachKind'

const portOf = (by: number | null, explains: string): Parameter => ({
  name: 'port',
  type: 'count',
  label: 'Port',
  default: by,
  ...(by === null ? { optional: true as const } : {}),
  min: 1,
  max: 65_535,
  explains,
})
const words = (explains: string): Parameter => ({
  name: 'words',
  type: 'text',
  label: 'Words',
  default: '',
  form: { is: /^\P{Cc}{0,200}$/u, says: 'at most 200 characters in one line' },
  explains,
})
const yesNo = (name: string, label: string, choices: readonly [string, string], explains: string): Parameter => ({
  name,
  type: 'choice',
  label,
  choices,
  default: choices[0],
  explains,
})
const size = { type: 'bytes', default: null, optional: true, min: 0, max: 1e9 } as const

const port = reachKind({
  name: 'reach-port',
  title: 'Port open',
  every: 20 * second,
  slow: null,
  parameters: [portOf(443, 'TCP. A connection is made and closed again; nothing is sent.')],
  check: (values) => ({ check: 'port', port: read.number(values, 'port') }),
  clause: (_values, say) => sentence`port ${say('port')} takes no connection`,
})

/** Ranges of status as they are written: *200-299, 401*. */
export function readStatus(text: string): [number, number][] | null {
  const ranges = text.split(',').map((part): [number, number] | null => {
    const found = /^\s*([1-5]\d\d)(?:\s*[-–]\s*([1-5]\d\d))?\s*$/u.exec(part)
    if (!found) return null
    const first = Number(found[1])
    const last = Number(found[2] ?? found[1])
    return first <= last ? [first, last] : null
  })
  return ranges.length <= 20 && ranges.every((range) => range !== null) ? ranges : null
}

const page = reachKind({
  name: 'reach-page',
  title: 'Web page',
  every: minute,
  slow: 5 * second,
  parameters: [
    yesNo('scheme', 'Scheme', ['https', 'http'], 'How it is asked for.'),
    portOf(null, 'Off: 443 with https, 80 with http.'),
    {
      name: 'path',
      type: 'text',
      label: 'Page',
      default: '/',
      form: { is: /^\/[\x21-\x7e]{0,400}$/, says: 'a path such as /status, without blanks' },
      explains: 'With its query, where it has one. Asked for with GET.',
    },
    {
      name: 'status',
      type: 'text',
      label: 'Status',
      default: '200-299',
      form: { is: { test: (text: string) => readStatus(text) !== null }, says: 'statuses such as 200-299, 401' },
      explains: 'What is well (RFC 9110, section 15). A page that asks for a sign-in is well with 401.',
    },
    words('That stand somewhere in its text, with * and ?. Empty: whatever it says. The first MB is read.'),
    yesNo(
      'redirects',
      'When it leads elsewhere',
      ['go there', 'look at that answer'],
      'Five times at most, and only where may be looked at. Else 301 and the like count as the status.',
    ),
    yesNo(
      'trust',
      'Certificate',
      ['has to be valid', 'may be any'],
      'May be any: of gear with one that it made itself.',
    ),
    {
      ...size,
      name: 'least',
      label: 'Smaller than',
      explains: 'A page that is nearly empty is an error with a good status.',
    },
    { ...size, name: 'largest', label: 'Larger than', explains: 'More than 1 MB is not read: it counts as 1 MB.' },
  ],
  check(values): ProbeCheck {
    const secure = read.text(values, 'scheme') !== 'http'
    return {
      check: 'page',
      secure,
      port: read.optional(values, 'port') ?? (secure ? 443 : 80),
      path: read.text(values, 'path') || '/',
      status: readStatus(read.text(values, 'status')) ?? [[200, 299]],
      words: read.text(values, 'words'),
      follow: read.text(values, 'redirects') === 'go there',
      trusted: read.text(values, 'trust') === 'has to be valid',
      least: read.optional(values, 'least'),
      most: read.optional(values, 'largest'),
    }
  },
  clause(values, say) {
    const at = read.optional(values, 'port') === null ? [] : sentence` at port ${say('port')}`
    const without = read.text(values, 'words')
      ? sentence` or does not have ${say('words', `“${read.text(values, 'words')}”`)}`
      : []
    const small = read.optional(values, 'least') === null ? [] : sentence` or is smaller than ${say('least')}`
    const large = read.optional(values, 'largest') === null ? [] : sentence` or is larger than ${say('largest')}`
    return sentence`${say('scheme')} page ${say('path')}${at} does not answer ${say('status')}${without}${small}${large}`
  },
})

const levels = ['warning', 'critical'] as const
const trusted = 'has to be trusted'
const fitting = 'have to fit'
const certificate = reachKind({
  name: 'reach-certificate',
  title: 'Certificate, from outside',
  every: hour,
  parameters: [
    portOf(443, 'Where it is shown as soon as one connects (TLS).'),
    {
      name: 'name',
      type: 'text',
      label: 'For the name',
      default: '',
      form: { is: { test: isHostName }, says: 'a name such as shop.example' },
      explains: 'That it has to fit (RFC 9525), and that is asked for. Empty: the address that is looked at.',
    },
    {
      name: 'warning',
      type: 'duration',
      label: 'Warning below',
      default: 21 * day,
      max: 3650 * day,
      optional: true,
      explains: 'Enough to renew in working hours. Three weeks are common practice, no source.',
    },
    {
      name: 'critical',
      type: 'duration',
      label: 'Critical below',
      default: 7 * day,
      max: 3650 * day,
      optional: true,
      explains: 'From here on somebody has to do it now.',
    },
    yesNo(
      'chain',
      'Its chain',
      [trusted, 'may be any'],
      'As the agent’s own list of authorities says. May be any: of an authority of the house.',
    ),
    yesNo('names', 'Its names', [fitting, 'may be any'], 'Of gear that is looked at by its address they do not.'),
  ],
  check: (values) => ({
    check: 'certificate',
    port: read.number(values, 'port'),
    name: read.text(values, 'name'),
    trusted: read.text(values, 'chain') === trusted,
    named: read.text(values, 'names') === fitting,
  }),
  clause(values, say) {
    const name = read.text(values, 'name') ? sentence` for ${say('name')}` : []
    const parts = [
      sentence`is not shown`,
      ...(read.text(values, 'chain') === trusted ? [[say('chain', 'is not trusted')]] : []),
      ...(read.text(values, 'names') === fitting ? [[say('names', 'does not fit its name')]] : []),
    ]
    const all = parts.flatMap((part, i) => (i ? [{ text: i === parts.length - 1 ? ' or ' : ', ' }, ...part] : part))
    return sentence`the certificate at port ${say('port')}${name} ${all}`
  },
  more(values, say) {
    const set = levels.filter((level) => read.optional(values, level) !== null)
    return set.flatMap((level) => sentence`; when it is valid for less than ${say(level)}, ${level}`)
  },
  judge(values, { answers }, at) {
    const ends = answers.flatMap(({ told }) => told.expires ?? [])
    if (!ends.length) return { failing: [], text: 'is not told', isUnknown: true }
    const left = Math.min(...ends) - at
    const failing = levels.filter((level) => left < (read.optional(values, level) ?? -Infinity))
    return {
      failing,
      text: left > 0 ? `is valid for ${ageText(left)}` : `was valid until ${ageText(-left)} ago`,
      value: Math.round(left / second),
    }
  },
})

const answer = reachKind({
  name: 'reach-name',
  title: 'Name found',
  every: minute,
  slow: null,
  parameters: [
    {
      name: 'name',
      type: 'text',
      label: 'Name',
      default: '',
      form: { is: { test: isHostName }, says: 'a name such as files.branch.example' },
      explains: 'That the device, as a name server, is asked for (RFC 1035).',
    },
    portOf(53, 'UDP, and TCP where an answer is long.'),
    { name: 'type', type: 'choice', label: 'Type', choices: dnsTypes, default: 'A', explains: 'Of the record.' },
    {
      name: 'expect',
      type: 'patterns',
      label: 'Answers',
      default: [],
      explains: 'Each of them has to be among the answers, with * and ?. Empty: any answer.',
    },
  ],
  check(values): ProbeCheck | null {
    const name = read.text(values, 'name').trim()
    return name
      ? {
          check: 'name',
          port: read.number(values, 'port'),
          name,
          type: read.text(values, 'type') as DnsType,
          expect: read.list(values, 'expect'),
        }
      : null
  },
  clause(values, say) {
    const name = say('name', read.text(values, 'name') || 'a name yet to be said')
    const at = read.number(values, 'port') === 53 ? [] : sentence`, at port ${say('port')},`
    return read.list(values, 'expect').length
      ? sentence`its answer for ${say('type')} of ${name}${at} lacks ${say('expect')}`
      : sentence`it has no answer for ${say('type')} of ${name}${at}`
  },
})

const ping = reachKind({
  name: 'reach-ping',
  title: 'Ping',
  every: minute,
  slow: 25,
  parameters: [
    {
      name: 'count',
      type: 'count',
      label: 'Each time',
      default: 5,
      min: 1,
      max: 20,
      explains: 'So many, a fifth of a second apart (ICMP echo, RFC 792).',
    },
    {
      name: 'loss',
      type: 'percent',
      label: 'Lost more than',
      default: 0.5,
      min: 0,
      max: 1,
      explains:
        'Of those of one look; one that loses more has failed. None that comes back always has. Chosen, no source.',
    },
  ],
  check: (values) => ({ check: 'ping', count: read.number(values, 'count'), loss: read.number(values, 'loss') }),
  clause: (_values, say) => sentence`of ${say('count')} pings more than ${say('loss')} are lost`,
})

const mailPorts: Record<MailProtocol, [plain: number, secure: number]> = {
  SMTP: [25, 465],
  IMAP: [143, 993],
  POP3: [110, 995],
}
const mail = reachKind({
  name: 'reach-mail',
  title: 'Mail server’s greeting',
  every: minute,
  // Many ask first who it is that connects; RFC 5321, section 4.5.3.2.1, would have one wait for five minutes.
  timeout: 20 * second,
  slow: 15 * second,
  parameters: [
    {
      name: 'protocol',
      type: 'choice',
      label: 'Protocol',
      choices: mailProtocols,
      default: 'SMTP',
      explains: 'How a server that is ready greets: 220 (RFC 5321), * OK (RFC 9051), +OK (RFC 1939).',
    },
    yesNo('security', 'Encrypted', ['not at first', 'from the start'], 'From the start: TLS before anything is said.'),
    portOf(
      null,
      `Off: as usual, ${Object.entries(mailPorts)
        .map(([name, [plain, secure]]) => `${name} ${plain} or ${secure}`)
        .join(', ')}.`,
    ),
    words('That stand in its greeting, with * and ?. Empty: whatever it says.'),
  ],
  check(values): ProbeCheck {
    const protocol = read.text(values, 'protocol') as MailProtocol
    const secure = read.text(values, 'security') === 'from the start'
    return {
      check: 'mail',
      protocol,
      secure,
      port: read.optional(values, 'port') ?? mailPorts[protocol][secure ? 1 : 0],
      words: read.text(values, 'words'),
    }
  },
  clause(values, say) {
    const at = read.optional(values, 'port') === null ? [] : sentence` at port ${say('port')}`
    const without = read.text(values, 'words')
      ? sentence`, or without ${say('words', `“${read.text(values, 'words')}”`)}`
      : []
    return sentence`it does not greet as ${say('protocol')}${at}${without}`
  },
})

export const reachKinds: readonly WatchKind[] = [port, page, certificate, answer, ping, mail]
