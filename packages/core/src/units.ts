/** Milliseconds: as a time, since 1970-01-01T00:00:00Z; as a length, elapsed. */
export type Millis = number
export type Bytes = number
/** A share between 0 and 1. */
export type Ratio = number
export type DeviceId = number
export type ClientId = number
export type SiteId = number
export type RoleId = string

export const second: Millis = 1000
export const minute: Millis = 60 * second
export const hour: Millis = 60 * minute
export const day: Millis = 24 * hour
/** Decimal prefixes, as disks are sold and as IEC 80000-13 keeps them apart from the binary ones. */
export const gigabyte: Bytes = 1e9
