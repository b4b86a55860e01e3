/** What has no agent, and is looked at from the devices of a site. Everything here is invented. */
export interface PlannedAddress {
  name: string
  client: string
  site: string
  kind: 'address' | 'network'
  address: string
  story?: {
    /** Its certificate is valid for so many days more. */
    certificateDays?: number
    /** It does not answer between these minutes of the present. */
    downAt?: [from: number, to: number][]
  }
}

export const addresses: readonly PlannedAddress[] = [
  {
    name: 'bb-orders-page',
    client: 'bb',
    site: 'Plant',
    kind: 'address',
    address: 'orders.brindle.example',
    story: { certificateDays: 13 },
  },
  { name: 'bb-plant-switch', client: 'bb', site: 'Plant', kind: 'network', address: '203.0.113.18' },
]
