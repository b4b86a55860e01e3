import { rmSync } from 'node:fs'
import { join } from 'node:path'
import { hostsSecret, seed, startServer, untilReporting } from '../launcher/demo.mjs'
import { makeFolder, placeOf } from '../launcher/place.mjs'
import { freePort, startPostgres, stopLeftover } from '../launcher/postgres.mjs'
import { endLeftovers, programPath, start, untilServing } from '../launcher/programs.mjs'

/**
 * The real thing, small and quick: database, server and a fleet that reports every two seconds, with two hours of
 * history.
 */
export default async function setup(): Promise<() => Promise<void>> {
  const place = placeOf('e2e')
  await endLeftovers(place, ['agent', 'fleet', 'hosts', 'messages', 'server'])
  await stopLeftover(join(place, 'database'))
  rmSync(place, { recursive: true, force: true })
  makeFolder(place, 0o711)
  // With real flushes to disk: one of the tests kills the server and counts what is left.
  const database = await startPostgres(place)
  const port = await freePort()
  const panelPort = await freePort()
  const hostsPort = await freePort()
  const messages = { page: await freePort(), smtp: await freePort(), inbox: await freePort() }
  const url = `http://127.0.0.1:${port}`
  const serve = () =>
    startServer(
      { place, databaseUrl: database.url, port, interval: 2000 },
      { CUSTODE_MAIL_PORT: String(messages.inbox) },
    )
  const first = serve()
  await untilServing(url, first, place)
  start(place, 'messages', [programPath('messages'), ...Object.values(messages).map(String)])
  const fleet = start(place, 'fleet', [programPath('fleet'), url, join(place, 'fleet.json')], {
    CUSTODE_FLEET_KEYS: JSON.stringify(seed(url, place, messages).fleet),
    CUSTODE_PANEL_PORT: String(panelPort),
    CUSTODE_HISTORY_HOURS: '2',
  })
  start(place, 'hosts', [programPath('hosts'), join(place, 'hosts'), String(hostsPort)], hostsSecret(place))
  await untilReporting(place, fleet, () => undefined)
  Object.assign(process.env, {
    E2E_URL: url,
    E2E_PANEL: `http://127.0.0.1:${panelPort}`,
    E2E_MESSAGES: `http://127.0.0.1:${messages.page}`,
    E2E_HOSTS: `http://127.0.0.1:${hostsPort}`,
    E2E_PLACE: place,
    E2E_DATABASE: database.url,
    E2E_PORT: String(port),
    // A server that one of the tests starts takes mail there, too.
    CUSTODE_MAIL_PORT: String(messages.inbox),
  })
  return async () => {
    await endLeftovers(place, ['agent', 'fleet', 'hosts', 'messages', 'server'])
    // One of the tests may have ended it and started another.
    await stopLeftover(join(place, 'database'))
  }
}
