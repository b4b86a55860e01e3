import { second, type ProbeCheck } from '#core'
import { commandEnded, reasonOf, type Ended } from '../collectors/command'
import { onWindows } from '../install/place'
import { told } from '../powershell/powershell'
import { FaultError, TroubleError, type Looked } from './looked'
import type { Way } from './way'

type Ping = Extract<ProbeCheck, { check: 'ping' }>

/** Between two pings; what ping(8) lets anybody ask for. */
const between = 0.2

/**
 * What ping(8) of iputils says at its end: *5 packets transmitted, 4 received, 20% packet loss* and *rtt
 * min/avg/max/mdev = 0.031/0.040/0.048/0.006 ms*.
 * @returns null when it says nothing of the kind
 */
export function parsePing(output: string): { loss: number; mean: number | null } | null {
  const counts = /(\d+) packets transmitted, (\d+) (?:packets )?received/.exec(output)
  if (!counts) return null
  const sent = Number(counts[1])
  const mean = /(?:rtt|round-trip) min\/avg\/max(?:\/mdev)? = [\d.]+\/([\d.]+)\//.exec(output)?.[1]
  return {
    loss: sent === 0 ? 1 : Math.max(0, 1 - Number(counts[2]) / sent),
    mean: mean === undefined ? null : Number(mean),
  }
}

/** Windows has no words for it that are the same in every language: the class behind them does the same. */
const windowsScript = (address: string, count: number, timeout: number) =>
  `$p = New-Object System.Net.NetworkInformation.Ping; $t = @(); ` +
  `for ($i = 0; $i -lt ${count}; $i++) { ` +
  `$r = $p.Send('${address.replace(/[^0-9a-f.:]/gi, '')}', ${timeout}); ` +
  `if ($r.Status -eq 'Success') { $t += $r.RoundtripTime }; Start-Sleep -Milliseconds 200 }; ` +
  `@{ times = @($t) } | ConvertTo-Json -Compress`

async function onWindowsPinged(address: string, count: number, timeout: number) {
  const { times } = await told<{ times: number[] }>(
    windowsScript(address, count, timeout),
    { times: [] },
    count * (timeout + second) + 30 * second,
  )
  return {
    loss: 1 - times.length / count,
    mean: times.length ? times.reduce((sum, time) => sum + time, 0) / times.length : null,
  }
}

async function onLinuxPinged(address: string, count: number, timeout: number) {
  const wait = Math.max(1, Math.ceil(timeout / second))
  let ended: Ended
  try {
    ended = await commandEnded(
      'ping',
      ['-n', '-q', '-c', String(count), '-i', String(between), '-W', String(wait), address],
      count * between * second + timeout + 5 * second,
    )
  } catch (error) {
    throw /ENOENT/.test((error as Error).message) ? new TroubleError('no-ping') : error
  }
  const found = parsePing(ended.output)
  if (found) return found
  const reason = reasonOf(ended.words)
  // Without a capability it needs sockets that icmp(7) lets only some groups have.
  if (/not permitted|permission|cap_net_raw/i.test(ended.words)) throw new TroubleError('no-rights', reason)
  if (/unreachable/i.test(reason)) throw new FaultError('unreachable')
  throw new TroubleError('other', reason || `ping ended with ${ended.status}`)
}

/** @throws FaultError where none comes back, or more is lost than may be */
export async function pinged({ count, loss }: Ping, { address, timeout }: Way): Promise<Partial<Looked>> {
  const found = await (onWindows ? onWindowsPinged : onLinuxPinged)(address, count, timeout)
  if (found.loss >= 1) throw new FaultError('timeout')
  if (found.loss > loss) throw new FaultError('loss', '', found.loss)
  return { loss: found.loss, ...(found.mean === null ? {} : { time: found.mean }) }
}
