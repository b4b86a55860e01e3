export const severities = ['notice', 'warning', 'critical'] as const
export type Severity = (typeof severities)[number]

/** Order of urgency: notice 1, warning 2, critical 3; nothing wrong is 0. */
export function urgency(severity: Severity | null): number {
  return severity === null ? 0 : severities.indexOf(severity) + 1
}

export function mostUrgent(among: Iterable<Severity | null>): Severity | null {
  let worst: Severity | null = null
  for (const severity of among) if (urgency(severity) > urgency(worst)) worst = severity
  return worst
}
