import type { BoardDevice, BoardPage } from '#contract'
import { api } from './api'

/** As many as an address holds, and as the server gives at a time. */
const atOnce = 500

/** Every device that matches, part by part. @param query as of the board, without order and limit */
export async function allDevices(query: Record<string, string>): Promise<BoardDevice[]> {
  const found: BoardDevice[] = []
  const asked = new URLSearchParams({ ...query, order: 'name', limit: String(atOnce) })
  for (let after: string | null = ''; after !== null;) {
    const page: BoardPage = await api.get<BoardPage>(`/devices?${asked}${after ? `&after=${after}` : ''}`)
    found.push(...page.devices)
    after = page.next
  }
  return found
}

/** Some devices by number; those that are gone are missing. */
export async function devicesOf(ids: readonly number[]): Promise<BoardDevice[]> {
  const found: BoardDevice[] = []
  for (let from = 0; from < ids.length; from += atOnce)
    found.push(...(await api.get<BoardDevice[]>(`/device-rows?ids=${ids.slice(from, from + atOnce).join(',')}`)))
  return found
}
