import { logLevels, type LogEvent } from '#core'
import { cut } from './logLine'

/**
 * Fields that are kept beside the text (systemd.journal-fields(7); those of units, sessions and crashes as systemd
 * writes them): who wrote it, about what, and how it ended. Command lines are not among them: there may be secrets in
 * them.
 */
export const keptFields = [
  ...['_SYSTEMD_UNIT', '_SYSTEMD_USER_UNIT', 'UNIT', 'USER_UNIT', '_PID', '_UID', '_EXE', 'MESSAGE_ID', 'ERRNO'],
  ...['JOB_TYPE', 'JOB_RESULT', 'EXIT_CODE', 'EXIT_STATUS', 'SESSION_ID', 'USER_ID', 'SYSLOG_FACILITY'],
  ...['_KERNEL_DEVICE', '_KERNEL_SUBSYSTEM', 'COREDUMP_EXE', 'COREDUMP_SIGNAL_NAME', 'COREDUMP_UNIT'],
] as const

/**
 * A field's text. One that is not valid UTF-8 comes as a list of bytes, one that was given several times as a list of
 * those.
 */
function journalText(field: unknown): string {
  if (!Array.isArray(field)) return String(field ?? '').replaceAll('\0', '')
  if (field.every((byte) => typeof byte === 'number'))
    return Buffer.from(field as number[])
      .toString('utf8')
      .replaceAll('\0', '')
  return field.map(journalText).join(' ')
}

/** One line of `journalctl --output=json` (systemd.journal-fields(7), PRIORITY as in RFC 5424). */
export function parseJournalLine(line: string): LogEvent | null {
  let entry: Record<string, unknown>
  try {
    entry = JSON.parse(line) as Record<string, unknown>
  } catch {
    return null
  }
  const text = journalText(entry.MESSAGE)
  const at = Math.floor(Number(entry.__REALTIME_TIMESTAMP) / 1000)
  if (!Number.isFinite(at)) return null
  const source = journalText(entry.SYSLOG_IDENTIFIER ?? entry._COMM ?? (entry._TRANSPORT === 'kernel' ? 'kernel' : ''))
  const kept = keptFields.flatMap((name) => (entry[name] == null ? [] : [[name, journalText(entry[name])] as const]))
  return {
    at,
    channel: 'journal',
    source,
    id: null,
    level: logLevels[Number(entry.PRIORITY ?? 6)] ?? 'informational',
    text: cut(text),
    ...(kept.length ? { fields: Object.fromEntries(kept) } : {}),
  }
}
