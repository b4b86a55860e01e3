import { day, hour, type Millis } from '#core'

/** Times since which people ask what the night has brought, on their own clocks, by their name in the address. */
export function sinceTimes(now: Date): { name: string; text: string; at: Millis }[] {
  const evening = (days: number) => {
    const date = new Date(now)
    date.setDate(date.getDate() - days)
    return date.setHours(18, 0, 0, 0)
  }
  // The last Friday before today; on a Saturday yesterday.
  const toFriday = (now.getDay() + 2) % 7 || 7
  return [
    { name: '8h', text: '8 hours ago', at: now.getTime() - 8 * hour },
    { name: 'evening', text: 'yesterday at 18:00', at: evening(1) },
    { name: '24h', text: 'a day ago', at: now.getTime() - day },
    { name: 'friday', text: 'Friday at 18:00', at: evening(toFriday) },
    { name: '7d', text: 'a week ago', at: now.getTime() - 7 * day },
  ]
}
