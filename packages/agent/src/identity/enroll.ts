import { hostname } from 'node:os'
import { protocolVersion, type Enrolment } from '#contract/report'
import { osName, ownAddresses } from '../collectors'
import { readIdentity, writeIdentity } from './identity'
import { onWindows } from '../install/place'
import { startCounting } from '../run'
import { call, type Way } from '../uplink'

export async function enroll(home: string, way: Way, key: string, name: string | undefined): Promise<string> {
  const known = readIdentity(home)
  if (known)
    throw new Error(
      `This machine is enrolled already, as ${known.name} at ${known.server}. To enrol it anew, move ${home} away first.`,
    )
  const wanted = name ?? hostname().split('.')[0]!
  const { body } = await call<Enrolment>(way, 'POST', '/api/agent/enrol', {
    version: protocolVersion,
    key,
    name: wanted,
    osFamily: onWindows ? 'windows' : 'linux',
    osName: osName(),
    addresses: ownAddresses(),
    sentAt: Date.now(),
  })
  startCounting(home, body.firstSeq)
  writeIdentity(home, {
    ...way,
    deviceId: body.deviceId,
    deviceKey: body.deviceKey,
    name: body.settings.deviceName,
    interval: body.settings.interval,
    serverKey: body.serverKey,
  })
  const off =
    Math.abs(body.clockOffset) > 5000
      ? ` The clock of this machine is ${Math.round(Math.abs(body.clockOffset) / 1000)} s ${body.clockOffset > 0 ? 'ahead' : 'behind'}; times are corrected.`
      : ''
  return `Enrolled as ${body.settings.deviceName} of ${body.settings.clientName}, ${body.settings.siteName}.${off}`
}
