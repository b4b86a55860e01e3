import { XMLParser } from 'fast-xml-parser'
import { levelOfWindowsEvent, type LogEvent } from '#core'

const parser = new XMLParser({
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  // Identifiers may look like numbers that they are not.
  parseTagValue: false,
  parseAttributeValue: false,
  removeNSPrefix: true,
  isArray: (name) => name === 'Data',
})

type Element = Record<string, unknown>
const elementOf = (value: unknown): Element =>
  typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Element) : {}
/** The text of an element, which may have attributes beside it. */
const textOf = (value: unknown): string => {
  if (typeof value === 'string') return value
  const text = elementOf(value)['#text']
  return typeof text === 'string' ? text : ''
}

/** What is named: of data without names their place, as the log itself counts them; of the application's own, each. */
function fieldsOf(event: Element): Record<string, string> {
  const data = elementOf(event.EventData).Data
  const named = Array.isArray(data)
    ? data.map((item, i) => [String(elementOf(item)['@Name'] ?? `%${i + 1}`), textOf(item)] as const)
    : []
  const user = Object.values(elementOf(event.UserData)).flatMap((own) =>
    Object.entries(elementOf(own)).flatMap(([name, value]) =>
      name.startsWith('@') || textOf(value) === '' ? [] : [[name, textOf(value)] as const],
    ),
  )
  const { System: system } = event
  const execution = elementOf(elementOf(system).Execution)
  const process = execution['@ProcessID']
  const account = elementOf(elementOf(system).Security)['@UserID']
  return Object.fromEntries([
    ...named.filter(([, value]) => value !== '' && value !== '-'),
    ...user,
    ...(typeof process === 'string' ? [['ProcessID', process] as const] : []),
    ...(typeof account === 'string' ? [['UserID', account] as const] : []),
  ])
}

/** Bit of an event’s keywords: what was audited failed (winmeta.xml, win:AuditFailure; from memory). */
const auditFailure = 1n << 52n

function failed(keywords: string): boolean {
  return /^0x[0-9a-fA-F]{1,16}$/.test(keywords) && (BigInt(keywords) & auditFailure) !== 0n
}

/**
 * An event as XML, by the schema http://schemas.microsoft.com/win/2004/08/events/event ([MS-EVEN6], section 2.2.13,
 * from memory; the same that wevtutil(1) and ToXml() print). What an audit found to have failed is told as a warning:
 * its level says nothing.
 * @param message what the log makes of it in words, where the XML does not hold it
 * @returns null: it is no such event
 */
export function parseEventXml(xml: string, message: string | null): LogEvent | null {
  let event: Element
  try {
    event = elementOf(elementOf(parser.parse(xml)).Event)
  } catch {
    return null
  }
  const system = elementOf(event.System)
  const at = Date.parse(String(elementOf(system.TimeCreated)['@SystemTime'] ?? ''))
  const id = textOf(system.EventID)
  const channel = textOf(system.Channel)
  if (Number.isNaN(at) || channel === '') return null
  const level = levelOfWindowsEvent(Number(textOf(system.Level) || 0))
  const fields = fieldsOf(event)
  return {
    at,
    channel,
    source: String(elementOf(system.Provider)['@Name'] ?? ''),
    id: /^\d{1,9}$/.test(id) ? Number(id) : null,
    level: level === 'informational' && failed(textOf(system.Keywords)) ? 'warning' : level,
    text: message ?? textOf(elementOf(event.RenderingInfo).Message),
    ...(Object.keys(fields).length ? { fields } : {}),
  }
}
