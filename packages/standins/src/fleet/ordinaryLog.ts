import type { LogEvent, Millis, OsFamily, Service } from '#core'

type Said = Pick<LogEvent, 'source' | 'id' | 'level' | 'text' | 'fields'>

/** What a syslog daemon on Linux writes into its file on an ordinary day: that has no fields. */
function linuxEntry(draw: number, service: string): Said {
  const number = Math.floor(draw * 1e6)
  const entry = { id: null, level: 'informational' as const }
  if (draw < 0.45) return { ...entry, source: 'systemd', text: `Started ${service}.service.` }
  if (draw < 0.7) return { ...entry, source: 'CRON', text: '(root) CMD (run-parts --report /etc/cron.hourly)' }
  if (draw < 0.9) {
    const port = 40_000 + (number % 20_000)
    return { ...entry, source: 'sshd', text: `Accepted publickey for ops from 192.0.2.${number % 250} port ${port}` }
  }
  const server = `192.0.2.${1 + (number % 3)}`
  return { ...entry, source: 'systemd-timesyncd', text: `Contacted time server ${server}:123 (ntp.example)` }
}

/** The same of Windows’ log System, by events that its services write, with their data by name (from memory). */
function windowsEntry(draw: number, service: string): Said {
  const number = Math.floor(draw * 1e6)
  const entry = { level: 'informational' as const }
  if (draw < 0.7) {
    const state = number % 2 ? 'running' : 'stopped'
    return {
      ...{ ...entry, source: 'Service Control Manager', id: 7036 },
      text: `The ${service} service entered the ${state} state.`,
      fields: { param1: service, param2: state },
    }
  }
  if (draw < 0.9)
    return {
      ...{ ...entry, source: 'Time-Service', id: 35 },
      text: `The time service is now synchronizing with the time source 192.0.2.${1 + (number % 3)}.`,
      fields: { TimeSource: `192.0.2.${1 + (number % 3)}` },
    }
  return {
    ...{ ...entry, source: 'Kernel-General', id: 16 },
    text: `The access history in hive was cleared updating ${number % 4000} keys and creating ${number % 90} modified pages.`,
    fields: { KeysUpdated: String(number % 4000), DirtyPages: String(number % 90) },
  }
}

/**
 * What a device writes on an ordinary day.
 * @param draw 0 to 1, which chooses what it is
 */
export function ordinaryEntry(family: OsFamily, draw: number, services: readonly Service[], at: Millis): LogEvent {
  const { name = 'system', title } = services[Math.floor(draw * 7919) % Math.max(1, services.length)] ?? {}
  const isLinux = family === 'linux'
  const said = isLinux ? linuxEntry(draw, name) : windowsEntry(draw, title || name)
  return { at, channel: isLinux ? 'syslog' : 'System', ...said }
}
