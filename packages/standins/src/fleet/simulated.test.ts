import { describe, expect, it } from 'vitest'
import { factSchemas, logEventSchema } from '#contract'
import { day, minute, readingFault, type FactSubject } from '#core'
import { estateOf } from '../estate'
import { SimulatedDevice } from './simulated'

const { devices } = estateOf(60, 'a')
const end = Date.parse('2026-11-23T12:00:00Z')
const named = (name: string, seed = 'a') =>
  new SimulatedDevice(
    devices.find((device) => device.name === name)!,
    seed,
    end,
  )

describe('the invented estate', () => {
  it('is the same for the same seed, and grows without changing what was there', () => {
    expect(estateOf(90, 'a').devices.slice(0, 60)).toEqual(devices)
    expect(estateOf(60, 'b').devices).not.toEqual(devices)
  })
  it('gives every device a name of its own at its client, and a site that is there', () => {
    const { clients, devices: all } = estateOf(500, 'a')
    expect(new Set(all.map((device) => device.name)).size).toBe(500)
    const sites = clients.flatMap((client) => client.sites.map(([site]) => `${client.code}/${site}`))
    expect(all.filter((device) => !sites.includes(`${device.client}/${device.site}`))).toEqual([])
  })
})

describe('a stand-in device', () => {
  it('behaves the same at the same time for the same seed', () => {
    const at = end - 17 * minute
    expect(named('tm-gate-1').readings(at)).toEqual(named('tm-gate-1').readings(at))
    expect(named('tm-gate-1').facts(at)).toEqual(named('tm-gate-1').facts(at))
    expect(named('tm-gate-1', 'b').readings(at)).not.toEqual(named('tm-gate-1').readings(at))
  })
  it('writes log entries that the server would take, with what each system keeps beside them', () => {
    const written = devices.slice(0, 12).flatMap((plan) => new SimulatedDevice(plan, 'a', end).events(end - day, end))
    expect(written.length).toBeGreaterThan(200)
    for (const event of written)
      expect([event.text, logEventSchema.validate(event).error]).toEqual([event.text, undefined])
    const fieldOf = (source: string, name: string) =>
      written.find((event) => event.source === source && event.fields?.[name])?.fields?.[name]
    expect(fieldOf('Service Control Manager', 'param2')).toMatch(/running|stopped/)
  })
  it('tells only readings that the server would take', () => {
    for (const plan of devices)
      for (const [metric, instance, value] of new SimulatedDevice(plan, 'a', end).readings(end - 100 * minute))
        expect([plan.name, readingFault(metric, instance, value)]).toEqual([plan.name, null])
  })
  it('and only facts that it would take', () => {
    for (const plan of devices)
      for (const at of [end - 100 * minute, end - 7 * minute, end + 3 * minute])
        for (const [subject, value] of Object.entries(new SimulatedDevice(plan, 'a', end).facts(at)))
          expect([plan.name, factSchemas[subject as FactSubject].validate(value).error]).toEqual([plan.name, undefined])
  })
  it.each(['bb-plant-app', 'bb-shop-02', 'tm-gate-2'])('%s tells since when its services are as they are', (name) => {
    const device = named(name)
    const stateAt = (service: string, at: number) => device.services(at).find((each) => each.name === service)!.state
    for (let at = end - 800 * minute; at <= end + 5 * minute; at += 17 * minute)
      for (const { name: service, state, since } of device.services(at)) {
        if (since === undefined || since < end - 1000 * minute) continue
        expect([service, at, stateAt(service, since), stateAt(service, since - minute) !== state]).toEqual([
          service,
          at,
          state,
          true,
        ])
        for (let time = since; time <= at; time += 5 * minute)
          expect([service, time, stateAt(service, time)]).toEqual([service, time, state])
      }
  })
  it('has a disk that fills, a service that stays down, and one that can be stopped and started by hand', () => {
    const free = (ago: number) =>
      named('sv-imaging-1')
        .readings(end - ago * minute)
        .find((reading) => reading[0] === 'disk.free' && reading[1] === '/srv/images')![2]
    expect(free(0)).toBeLessThan(free(600))
    const app = named('bb-plant-app')
    const state = () => app.services(end + minute).find((service) => service.name === 'bakery-orders')!.state
    expect(state()).toBe('stopped')
    app.start('bakery-orders')
    expect(state()).toBe('running')
    app.stop('bakery-orders')
    expect(state()).toBe('stopped')
  })
  it('says nothing while its plug is pulled', () => {
    const device = named('tm-gate-1')
    device.meddling.unplugged = true
    expect([device.reportsAt(end - minute), device.reportsAt(end + minute)]).toEqual([true, false])
    expect(named('tm-east-gate-1').reportsAt(end - minute)).toBe(false)
  })
  it('has no real name in it: host names are short, addresses none', () => {
    for (const plan of devices) expect(plan.name).toMatch(/^[a-z]{2}-[a-z0-9-]+$/)
  })
})
