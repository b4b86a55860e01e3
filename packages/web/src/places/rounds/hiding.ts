import { hour, type Millis } from '#core'

/**
 * Times that people mean by “later”, on their own clocks; those that are over for today are left out. `text`: hidden
 * until then; `by`: looked at again by then.
 */
export function hidingTimes(now: Date): { text: string; by: string; at: Millis }[] {
  const at = (days: number, hours: number) => {
    const date = new Date(now)
    date.setDate(date.getDate() + days)
    return date.setHours(hours, 0, 0, 0)
  }
  const toMonday = (8 - now.getDay()) % 7 || 7
  const times = [
    { text: 'for an hour', by: 'in an hour', at: now.getTime() + hour },
    { text: 'for four hours', by: 'in four hours', at: now.getTime() + 4 * hour },
    { text: 'until 17:00', by: 'by 17:00', at: at(0, 17) },
    { text: 'until tomorrow at 8', by: 'by tomorrow at 8', at: at(1, 8) },
    { text: 'until Monday at 8', by: 'by Monday at 8', at: at(toMonday, 8) },
  ]
  return times.filter((time) => time.at > now.getTime() + hour / 2)
}
