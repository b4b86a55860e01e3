import { fromLibrary, libraryTemplates, minute } from '#core'
import type { Filled } from './fill'

/** Templates of the library on their targets, values of their own for forty clients, and windows. */
export async function setPolicy(
  url: string,
  cookie: string,
  { counts }: Filled,
): Promise<{ assignments: number; millis: number }> {
  const began = performance.now()
  const post = async <T>(path: string, body: unknown): Promise<T> => {
    const answer = await fetch(`${url}${path}`, {
      method: 'POST',
      headers: { cookie, 'content-type': 'application/json' },
      body: JSON.stringify(body),
    })
    const read = (await answer.json()) as T
    if (answer.status !== 200) throw new Error(`${path}: ${JSON.stringify(read).slice(0, 300)}`)
    return read
  }
  const assignment = (templateId: number, target: unknown, values: object = {}) => ({
    templateId,
    target,
    rank: 100,
    values,
    dormant: false,
    reason: '',
  })
  let assignments = 0
  const ids: number[] = []
  for (const template of libraryTemplates) {
    const { id } = await post<{ id: number }>('/api/templates', fromLibrary(template))
    ids.push(id)
    await post('/api/assignments', assignment(id, template.suits))
    assignments++
  }
  const key = libraryTemplates[0]!.watches.find((watch) => watch.kind === 'disk-space')!.key
  for (let clientId = 1; clientId <= Math.min(counts.clients, 60 - libraryTemplates.length); clientId++) {
    await post(
      '/api/assignments',
      assignment(ids[0]!, { on: 'client', clientId }, { [key]: { 'warning.percent': 0.08 + (clientId % 5) / 100 } }),
    )
    assignments++
  }
  for (let clientId = 1; clientId <= Math.min(counts.clients, 20); clientId++)
    await post('/api/windows', {
      name: `Updates ${clientId}`,
      reason: '',
      target: { on: 'client', clientId },
      subject: { of: 'all' },
      from: Date.now() + clientId * 30 * minute,
      until: Date.now() + clientId * 30 * minute + 120 * minute,
    })
  return { assignments, millis: performance.now() - began }
}
