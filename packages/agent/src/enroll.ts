import { hostname } from 'node:os'
import { protocolVersion, type Enrolment } from '#contract/report'
import { osName, ownAddresses } from './collectors'
import { readIdentity, writeIdentity } from './identity'
import { onWindows } from './place'
import { startCounting } from './run'
import { call } from './uplink'

export async function enroll(home: string, server: string, key: string, name: string | undefined): Promise<string> {
  const known = readIdentity(home)
  if (known) throw new Error(`This machine is enrolled already, as ${known.name} at ${known.server}. To enrol it anew, move ${home} away first.`)
  if (!URL.canParse(server) || !/^https?:$/.test(new URL(server).protocol)) throw new Error(`“${server}” is no address of a server. It looks like https://custode.example`)
  const wanted = name ?? hostname().split('.')[0]!
  const { body } = await call<Enrolment>(server, 'POST', '/api/agent/enrol', { version: protocolVersion, key, name: wanted, osFamily: onWindows ? 'windows' : 'linux', osName: osName(), addresses: ownAddresses(), sentAt: Date.now() })
  startCounting(home, body.firstSeq)
  writeIdentity(home, { server, deviceId: body.deviceId, deviceKey: body.deviceKey, name: body.settings.deviceName, interval: body.settings.interval, serverKey: body.serverKey })
  const off = Math.abs(body.clockOffset) > 5000 ? ` The clock of this machine is ${Math.round(Math.abs(body.clockOffset) / 1000)} s ${body.clockOffset > 0 ? 'ahead' : 'behind'}; times are corrected.` : ''
  return `Enrolled as ${body.settings.deviceName} of ${body.settings.clientName}, ${body.settings.siteName}.${off}`
}
