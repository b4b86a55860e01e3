import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertActed, HeldView, WhyPage } from '#contract'
import { hour, minute, second } from '#core'
import type { RealHost } from '../../packages/standins/src/realHosts'
import { alertsOf, installAgent, leftOut, openHostHouse, pageOf, until, watchFor, type HostHouse } from './hostHouse'

// Planned work on a machine: what is stopped, cut off and restarted in it is nobody's alarm, and what still fails
// when it is over is.
describe.skipIf(leftOut)('work on a real host', () => {
  let here: HostHouse
  let host: RealHost
  let deviceId: number
  const service = 't-orders'
  beforeAll(async () => {
    here = await openHostHouse()
    await watchFor(here, [
      {
        key: 'disk',
        kind: 'disk-space',
        name: 'Disk',
        why: '',
        osFamilies: [],
        values: { every: 10 * minute },
      },
      { key: 'silence', kind: 'silence', name: 'Silence', why: '', osFamilies: [], values: { after: 8 * second } },
      {
        key: 'services',
        kind: 'service-state',
        name: 'Services',
        why: '',
        osFamilies: [],
        // Where the cores are shared, reports may lie so far apart that nothing holds from one to the next.
        values: { hold: 0, 'clear.hold': 0 },
      },
    ])
    host = await here.lan.add('bookworm', 'tm-planned')
    host.write(
      `/etc/systemd/system/${service}.service`,
      '[Service]\nExecStart=/bin/sleep infinity\n[Install]\nWantedBy=multi-user.target\n',
    )
    await host.sh(`systemctl daemon-reload; systemctl enable --now ${service} 2>&1`)
    await installAgent(here, host)
    deviceId = (
      await until(
        'the first report of its services',
        () => pageOf(here, host.name),
        (page) => page.facts.services?.some(({ name }) => name.startsWith(service)) ?? false,
      )
    ).id
  })
  afterAll(() => here.close())

  const held = async () => (await here.house.technician<HeldView[]>('GET', `/api/devices/${deviceId}/held`)).body
  const about = <T extends { watch: string; instance: string }>(rows: T[], watch: string): T[] =>
    rows.filter((row) => row.watch === watch && (watch === 'silence' || row.instance.startsWith(service)))
  const open = async (watch: string) =>
    about(await alertsOf(here, deviceId), watch).filter(({ status }) => status !== 'closed')

  it('is held while it lasts, by what is stopped, cut off and put right again, and raised at its end', async () => {
    const { body, status } = await here.house.technician<{ id: number }>('POST', '/api/windows', {
      name: 'Cabling',
      reason: 'the rack is moved',
      target: { on: 'devices', deviceIds: [deviceId] },
      subject: { of: 'all' },
      from: null,
      until: Date.now() + hour,
    })
    expect(status).toBe(200)
    await host.sh(`systemctl stop ${service}`)
    const stoppedAt = Date.now()
    await until('the service held', held, (rows) => about(rows, 'services').length === 1)
    const during = Date.now()
    await host.pullPlug()
    await until('the silence held', held, (rows) => about(rows, 'silence').length === 1, 40_000)
    await host.boot()
    await until(
      'the end of the silence',
      held,
      (rows) => rows.some(({ watch, outcome }) => watch === 'silence' && outcome === 'cleared'),
      60_000,
    )
    expect(await alertsOf(here, deviceId)).toEqual([])

    // It comes up with the machine; and is stopped once more, so that it outlasts the work.
    await until('the service well', held, (rows) => rows.every(({ endedAt }) => endedAt !== null), 60_000)
    await host.sh(`systemctl stop ${service}`)
    await until('it held again', held, (rows) => rows.some(({ endedAt }) => endedAt === null))
    expect((await here.house.technician('POST', `/api/windows/${body.id}/end`, { why: '' })).status).toBe(200)
    // Where the machine of all this stands still for a while, a silence may come of it, too.
    const [alert] = await until(
      'what outlasted it',
      async () => about(await alertsOf(here, deviceId), 'services'),
      (alerts) => alerts.length === 1,
    )
    expect(alert).toMatchObject({ watch: 'services', status: 'open', windowName: 'Cabling' })
    expect(alert!.began).toBeGreaterThan(stoppedAt)
    const { steps } = (
      await here.house.technician<WhyPage>(
        'GET',
        `/api/devices/${deviceId}/why?watch=services&instance=${encodeURIComponent(alert!.instance)}&at=${during}`,
      )
    ).body
    expect(steps.map(({ code }) => code)).toEqual(['watched', 'failing', 'long-enough', 'held', 'no-alert'])
  })

  it('asked again, its agent reads also what rests for ten minutes, as df(1) says it', async () => {
    // A disk of its own: what is free on the one below it is everybody's on this machine.
    const free = async () =>
      (await pageOf(here, host.name)).disks.find(({ mount }) => mount === '/srv/plain')?.free ?? null
    await host.addDisk('/srv/plain', 64)
    await host.sh('fallocate -l 20M /srv/plain/fill && sync')
    await until(
      'reports since',
      () => pageOf(here, host.name),
      (page) => page.readAt !== null && Date.now() - page.readAt < 3 * second,
    )
    expect(await free()).toBe(null)
    const [alert] = await until(
      'the alert of the service',
      () => open('services'),
      (alerts) => alerts.length === 1,
    )
    const { id } = alert!
    expect(
      (await here.house.technician<AlertActed[]>('POST', '/api/alerts/acts', { ids: [id], do: 'ask-again', text: '' }))
        .body,
    ).toEqual([{ id, problem: null }])
    const after = await until('the disk read anew', free, (bytes) => bytes !== null, 15_000)
    expect(after).toBe(Number((await host.sh('df -B1 --output=avail /srv/plain | tail -1')).trim()))
  })

  it('cut off without a word, its silence carries what was open, until it is heard again', async () => {
    await until(
      'the alert of the service',
      () => open('services'),
      (alerts) => alerts.length === 1,
    )
    await host.pullPlug()
    const [silence] = await until(
      'silence',
      () => open('silence'),
      (alerts) => alerts.length === 1,
      40_000,
    )
    const [service] = (await alertsOf(here, deviceId)).filter(({ watch }) => watch === 'services')
    expect(service!.carrier).toMatchObject({ id: silence!.id, kind: 'silence' })
    await host.boot()
    // It starts with the machine, and so both are over.
    await until(
      'the end of both',
      () => alertsOf(here, deviceId),
      (alerts) => alerts.every(({ status }) => status === 'closed'),
      60_000,
    )
  })
})
