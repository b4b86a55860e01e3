import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertView } from '#contract'
import { second } from '#core'
import type { RealHost } from '../../packages/standins/src/realHosts'
import { alertsOf, installAgent, leftOut, openHostHouse, pageOf, until, watchFor, type HostHouse } from './hostHouse'

// A machine whose way to everywhere leads through another, which is switched off.
describe.skipIf(leftOut)('a real host behind another', () => {
  let here: HostHouse
  let router: RealHost
  let host: RealHost
  beforeAll(async () => {
    here = await openHostHouse()
    await watchFor(here, [
      { key: 'silence', kind: 'silence', name: 'Silence', why: '', osFamilies: [], values: { after: 8 * second } },
    ])
    ;[router, host] = (await Promise.all([
      here.lan.add('bookworm', 'tm-router'),
      here.lan.add('trixie', 'tm-behind'),
    ])) as [RealHost, RealHost]
    await Promise.all([installAgent(here, router), installAgent(here, host)])
  })
  afterAll(() => here.close())

  const page = ({ name }: RealHost) => pageOf(here, name)
  /** Of both, what is open about their silence. */
  const open = async () =>
    (await Promise.all([router, host].map(async (each) => alertsOf(here, (await page(each)).id)))).map((alerts) =>
      alerts.find(({ watch, status }) => watch === 'silence' && status !== 'closed'),
    )

  it('is known to be, as ip(8) says its route; its silence is carried, and both come back', async () => {
    for (const each of [router, host])
      await until(
        'its first report',
        () => page(each),
        ({ readAt }) => readAt !== null,
      )
    expect((await page(host)).dependsOn.device).toBeNull()
    await router.forward()
    await host.sh(
      `ip route replace default via ${router.address} && ip route add ${here.lan.gateway} via ${router.address}`,
    )
    const told = JSON.parse(await host.sh('ip -json route show default')) as { gateway: string }[]
    expect(told.map(({ gateway }) => gateway)).toEqual([router.address])
    // What a page says of its facts may be of a report before that which says on what it depends.
    const known = await until(
      'its route, and what it depends on',
      () => page(host),
      ({ facts, dependsOn }) => facts.gateways?.join() === told[0]!.gateway && dependsOn.device !== null,
    )
    expect(known.dependsOn).toEqual({ device: { id: (await page(router)).id, name: router.name }, by: 'routes' })
    expect((await page(router)).behind.devices.map(({ name }) => name)).toEqual([host.name])

    await router.pullPlug()
    const [cause, carried] = await until(
      'both silent, one for both',
      open,
      ([first, second]) => first !== undefined && second?.carrier != null,
      40_000,
    )
    expect(carried!.carrier).toEqual({ id: cause!.id, kind: 'upstream', name: router.name })
    const { todo } = (await here.house.lead<{ todo: { rows: AlertView[] } }>('GET', '/api/rounds')).body
    expect(todo.rows.map(({ id, members }) => [id, members])).toEqual([[cause!.id, 1]])

    await router.boot()
    await until('the end of both', open, (alerts) => alerts.every((alert) => alert === undefined), 60_000)
  })
})
