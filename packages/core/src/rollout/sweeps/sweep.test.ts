import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { inNetwork, readNetwork } from '../../estate'
import { hostsOf, seemsToBe, sweepFault } from '..'

const declared = ['192.0.2.0/24', '10.20.0.0/16']

describe('a sweep', () => {
  it('is bounded: nothing larger than a /20, nothing outside the networks of the site', () => {
    expect(
      ['192.0.2.0/24', '192.0.2.64/26', '10.20.16.0/20', '10.20.3.4/32'].map((network) =>
        sweepFault(network, declared),
      ),
    ).toEqual([null, null, null, null])
    expect(sweepFault('10.20.0.0/19', declared)).toContain('too large: at most 4096 addresses')
    expect(sweepFault('2001:db8::/64', ['2001:db8::/32'])).toContain('a /116')
    expect(sweepFault('198.51.100.0/24', declared)).toContain('not within the networks of this site')
    // Wider than what is declared is outside, too.
    expect(sweepFault('192.0.2.0/23', declared)).toContain('not within')
    expect(sweepFault('192.0.2.5/24', declared)).toContain('is no range')
    expect(sweepFault('192.0.2.0/24', [])).toContain('declares no networks')
  })
  it('goes to every host once, and to nothing else', () => {
    expect(hostsOf('192.0.2.0/29')).toEqual([1, 2, 3, 4, 5, 6].map((n) => `192.0.2.${n}`))
    expect([hostsOf('192.0.2.8/31'), hostsOf('192.0.2.8/32')]).toEqual([['192.0.2.8', '192.0.2.9'], ['192.0.2.8']])
    fc.assert(
      fc.property(fc.nat(255), fc.integer({ min: 20, max: 30 }), (n, bits) => {
        const text = `10.${n}.${bits === 20 ? 16 : 0}.0/${bits}`
        const hosts = hostsOf(text)
        expect([hosts.length, new Set(hosts).size]).toEqual([2 ** (32 - bits) - 2, 2 ** (32 - bits) - 2])
        const network = readNetwork(text)!
        expect([hosts[0], hosts.at(-1)].every((address) => inNetwork(address!, network))).toBe(true)
      }),
      { numRuns: 30 },
    )
  })
  it.each<[string, number[], string | null]>([
    ['Windows', [135, 445, 3389], null],
    ['Windows', [5985], null],
    ['Windows', [22], 'SSH-2.0-OpenSSH_for_Windows_9.5'],
    ['Linux or Unix', [22, 80], 'SSH-2.0-OpenSSH_9.2p1 Debian-2+deb12u3'],
    ['Linux or Unix', [22, 631], 'SSH-2.0-OpenSSH_9.2'],
    ['printer', [80, 9100], null],
    ['printer', [631], null],
    ['network gear', [22, 443], 'SSH-2.0-Switch_1.0'],
    ['something with a web page', [443], null],
    ['something', [], null],
  ])('takes for %s what answers on %j', (seems, ports, banner) => {
    expect(seemsToBe({ address: '', name: null, ports, banner })).toBe(seems)
  })
})
