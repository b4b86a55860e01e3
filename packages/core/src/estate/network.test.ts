import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { contains, inNetwork, placeByAddress, readNetwork } from '.'

describe('a network', () => {
  it('is read in CIDR notation, and a slip is seen', () => {
    expect([...'0 8 24 32'.split(' ').map((bits) => readNetwork(`10.0.0.0/${bits}`)?.bits)]).toEqual([
      undefined,
      8,
      24,
      32,
    ])
    expect(['10.0.0.7/24', '10.0.0.0', '10.0.0.0/33', 'somewhere/8', '', '2001:db8::1/64'].map(readNetwork)).toEqual(
      Array(6).fill(null),
    )
    // RFC 4291, section 2.3: three ways to write one prefix.
    expect(
      ['2001:0DB8:0000:CD30:0000:0000:0000:0000/60', '2001:0DB8::CD30:0:0:0:0/60', '2001:0DB8:0:CD30::/60'].map(
        (text) => readNetwork(text)?.bits,
      ),
    ).toEqual([60, 60, 60])
  })
  it('holds what the bits say: as counting in whole numbers does', () => {
    fc.assert(
      fc.property(fc.nat(0xffffffff), fc.nat(0xffffffff), fc.integer({ min: 1, max: 32 }), (a, b, bits) => {
        const mask = bits === 0 ? 0 : (0xffffffff << (32 - bits)) >>> 0
        const text = (n: number) => [24, 16, 8, 0].map((shift) => (n >>> shift) & 255).join('.')
        const network = readNetwork(`${text((a & mask) >>> 0)}/${bits}`)!
        expect(inNetwork(text(b), network)).toBe((a & mask) >>> 0 === (b & mask) >>> 0)
      }),
    )
  })
  it('lies within another or not', () => {
    const [wide, narrow, beside] = ['192.0.2.0/24', '192.0.2.128/25', '198.51.100.0/24'].map((text) =>
      readNetwork(text)!,
    )
    expect([
      contains(wide!, narrow!),
      contains(narrow!, wide!),
      contains(wide!, beside!),
      contains(wide!, wide!),
    ]).toEqual([true, false, false, true])
    expect(inNetwork('2001:db8::1', wide!)).toBe(false)
    expect(inNetwork('no address', wide!)).toBe(false)
  })
})

describe('placing a device by its address', () => {
  const sites = [
    { siteId: 1, networks: ['192.0.2.0/24'] },
    { siteId: 2, networks: ['192.0.2.64/26', '2001:db8:5::/48'] },
    { siteId: 3, networks: ['198.51.100.0/24'] },
    { siteId: 4, networks: ['198.51.100.0/24', 'nonsense'] },
  ]
  it('takes the narrowest network', () => {
    expect([
      placeByAddress(['192.0.2.5'], sites),
      placeByAddress(['192.0.2.70'], sites),
      placeByAddress(['203.0.113.9', '2001:db8:5::7'], sites),
    ]).toEqual([{ siteId: 1 }, { siteId: 2 }, { siteId: 2 }])
  })
  it('says why it cannot', () => {
    expect(placeByAddress(['203.0.113.9'], sites)).toEqual({
      siteId: null,
      reason: 'No site declares a network that holds 203.0.113.9.',
    })
    expect(placeByAddress([], sites)).toMatchObject({
      siteId: null,
      reason: expect.stringContaining('did not tell') as string,
    })
    expect(placeByAddress(['198.51.100.9'], sites)).toMatchObject({
      siteId: null,
      reason: expect.stringContaining('More than one site declares 198.51.100.0/24') as string,
    })
  })
})
