import { Pool } from 'undici'
import type { ReportReceipt } from '#contract'
import type { Filled } from './fill'

export interface Reporting {
  stop(): Promise<void>
  refused(): number
  /** How long each report waited for its answer since this was asked last, in milliseconds. */
  latencies(): number[]
}

/**
 * Every device reports once a minute, spread over it, until it is stopped, and collects what it was asked for with the
 * last receipt.
 */
export function keepReporting(url: string, { keys: deviceKeys, devices, lastSeqs }: Filled): Reporting {
  const pool = new Pool(url, { connections: 16 })
  const list = [...deviceKeys]
  const seqs = new Map<number, number>()
  /** What each was asked for last. */
  const asked = new Map<number, string>()
  /** Those that have not told yet what of it is there. */
  const news = new Set<number>()
  let refused = 0
  let taken: number[] = []
  let next = 0
  const timer = setInterval(() => {
    const until = Math.min(list.length, Math.ceil(next + list.length / 600))
    for (; next < until; next++) void report(list[next]!)
    if (next >= list.length) next = 0
  }, 100)
  async function report([id, key]: [number, string]): Promise<void> {
    const at = Date.now()
    const device = devices.get(id)!
    if (!device.reportsAt(at)) return
    const seq = (seqs.get(id) ?? lastSeqs.get(id) ?? 1) + 1
    seqs.set(id, seq)
    const { counters, files } = news.has(id) ? device.facts(at) : {}
    const facts = counters ? { counters, ...(files ? { files } : {}) } : undefined
    const { statusCode, body } = await pool.request({
      path: '/api/agent/reports',
      method: 'POST',
      headers: { 'content-type': 'application/json', authorization: `Bearer ${key}` },
      body: JSON.stringify({
        version: 1,
        sentAt: at,
        up: at - device.startedAt(at),
        boot: String(device.startedAt(at)),
        oldest: seq,
        reports: [{ seq, at, interval: 60_000, readings: device.readings(at), facts }],
      }),
    })
    const answer = await body.text()
    taken.push(Date.now() - at)
    if (statusCode !== 200) {
      refused++
      return
    }
    // What was refused is told again.
    if (facts) news.delete(id)
    const { collect } = (JSON.parse(answer) as ReportReceipt).settings
    const wanted = JSON.stringify([collect.counters, collect.files])
    if (wanted === (asked.get(id) ?? '[null,null]')) return
    asked.set(id, wanted)
    news.add(id)
    device.collect = collect
  }
  return {
    refused: () => refused,
    latencies() {
      const now = taken
      taken = []
      return now
    },
    async stop() {
      clearInterval(timer)
      await pool.close()
    },
  }
}
