import { Pool } from 'undici'

export interface Sender {
  path: string
  key: string
  seq: number
}

/** One report of fifty values, all well, as most reports are. */
function body(seq: number): string {
  const readings: [string, string, number][] = [
    ['cpu.busy', '', 0.2],
    ['memory.size', '', 32e9],
    ['memory.available', '', 16e9],
    ['load.5', '', 0.4],
  ]
  for (let i = 0; readings.length < 50; i++)
    readings.push(['disk.size', `/srv/${i}`, 1e12], ['disk.free', `/srv/${i}`, 6e11 + seq])
  return JSON.stringify({
    version: 1,
    sentAt: Date.now(),
    oldest: seq,
    reports: [{ seq, at: Date.now(), interval: 60_000, readings }],
  })
}

/**
 * Requests a second that a server answers with 200, with as many at a time as there are senders, for some seconds, and
 * the time in milliseconds within which 99 of 100 were answered.
 */
export async function throughput(
  url: string,
  senders: readonly Sender[],
  seconds: number,
): Promise<{ perSecond: number; p99: number }> {
  const pool = new Pool(url, { connections: senders.length })
  const taken: number[] = []
  let measuring = false
  const end = Date.now() + (seconds + 1) * 1000
  const send = async (sender: Sender) => {
    while (Date.now() < end) {
      const began = performance.now()
      const { statusCode, body: answer } = await pool.request({
        path: sender.path,
        method: 'POST',
        body: body(++sender.seq),
        headers: { 'content-type': 'application/json', authorization: `Bearer ${sender.key}` },
      })
      const text = await answer.text()
      if (statusCode !== 200) throw new Error(`${statusCode} ${text}`)
      if (measuring) taken.push(performance.now() - began)
    }
  }
  // The first second warms up.
  setTimeout(() => {
    measuring = true
  }, 1000)
  await Promise.all(senders.map(send))
  await pool.close()
  taken.sort((a, b) => a - b)
  return { perSecond: taken.length / seconds, p99: taken[Math.floor(taken.length * 0.99)] ?? Infinity }
}
