/** Severities of RFC 5424, table 2, most urgent first: the index is the numerical code. */
export const logLevels = [
  'emergency',
  'alert',
  'critical',
  'error',
  'warning',
  'notice',
  'informational',
  'debug',
] as const
export type LogLevel = (typeof logLevels)[number]

/** Numerical code 0 (emergency) to 7 (debug), RFC 5424 section 6.2.1. */
export function logLevelCode(level: LogLevel): number {
  return logLevels.indexOf(level)
}

/** Severity of a syslog priority value 0…191: PRI = facility × 8 + severity (RFC 5424, 6.2.1). */
export function levelOfPriority(priority: number): LogLevel {
  return logLevels[priority & 7]!
}

/**
 * Level of a Windows event: the standard levels 1…5 of the event schema (Critical, Error, Warning, Information,
 * Verbose; [MS-EVEN6], LevelType). 0 is “log always”.
 */
export function levelOfWindowsEvent(level: number): LogLevel {
  return ({ 1: 'critical', 2: 'error', 3: 'warning', 5: 'debug' } as const)[level as 1 | 2 | 3 | 5] ?? 'informational'
}
