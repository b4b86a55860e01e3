/** A drive as its commands answer. */
export interface AtaDrive {
  /** At most 40 and 20 characters. */
  model: string
  serial: string
  /** Turns a minute; 1 for one without moving parts. */
  rotation: number
  /** Its own verdict. */
  passed: boolean
  /** Raw values by the number of the attribute; the normalized ones are all 100 of 100. */
  attributes: Readonly<Record<number, number>>
}

const sector = 512

/** Its last byte has all of them add up to nothing: ATA/ATAPI Command Set 3, 9.16. */
function withChecksum(data: Buffer): Buffer {
  data[sector - 1] = -data.subarray(0, sector - 1).reduce((sum, byte) => sum + byte, 0) & 0xff
  return data
}

/** IDENTIFY DEVICE (ATA/ATAPI Command Set 3, 7.12): words, the two letters of each in texts the other way round. */
function identity({ model, serial, rotation }: AtaDrive): Buffer {
  const data = Buffer.alloc(sector)
  const word = (index: number, value: number) => data.writeUInt16LE(value, 2 * index)
  const text = (index: number, length: number, value: string) =>
    data.write(value.padEnd(length).slice(0, length), 2 * index, 'latin1')
  text(10, 20, serial)
  text(23, 8, 'LF01')
  text(27, 40, model)
  data.subarray(20, 40).swap16()
  data.subarray(46, 94).swap16()
  // LBA and DMA; 48-bit addresses with 2^28 sectors; ATA8-ACS; SMART is there, and on.
  const words = { 0: 0x40, 49: 0x0f00, 53: 0x06, 60: 0xffff, 61: 0x0fff, 80: 0x01f0, 101: 0x1000, 217: rotation }
  const features = { 82: 0x346b, 83: 0x7d01, 84: 0x4163, 85: 0x3469, 86: 0xbc01, 87: 0x4163 }
  for (const [index, value] of Object.entries({ ...words, ...features })) word(Number(index), value)
  data[510] = 0xa5
  return withChecksum(data)
}

/** Attributes in twelve bytes each, from byte 2 on; the format is each maker's own, and this one everybody's. */
function values({ attributes }: AtaDrive): Buffer {
  const data = Buffer.alloc(sector)
  data[0] = 16
  Object.entries(attributes).forEach(([id, raw], i) => {
    const at = 2 + 12 * i
    data[at] = Number(id)
    data.writeUInt16LE(0x33, at + 1)
    data[at + 3] = data[at + 4] = 100
    data.writeUIntLE(raw, at + 5, 6)
  })
  return withChecksum(data)
}

function thresholds({ attributes }: AtaDrive): Buffer {
  const data = Buffer.alloc(sector)
  data[0] = 16
  Object.keys(attributes).forEach((id, i) => {
    data[2 + 12 * i] = Number(id)
    data[3 + 12 * i] = 10
  })
  return withChecksum(data)
}

function command(name: string, status: number, data: Buffer | null = null): string {
  const asked = `REPORT-IOCTL: Device=/dev/made Command=${name}`
  const lines = Array.from({ length: data ? sector / 16 : 0 }, (_, i) => {
    const bytes = [...data!.subarray(16 * i, 16 * (i + 1))].map((byte) => byte.toString(16).padStart(2, '0'))
    return `${String(16 * i).padStart(3, '0')}-${String(16 * i + 15).padStart(3, '0')}: ${bytes.join(' ')}`
  })
  const block = data
    ? [`===== [${name}] DATA START (BASE-16) =====`, ...lines, `===== [${name}] DATA END (512 Bytes) =====`]
    : []
  return [asked, `${asked} returned ${status}`, '', ...block, ''].join('\n')
}

/**
 * What smartctl of smartmontools writes with `-r ataioctl,2` while it asks a drive, and takes from its standard input
 * in place of one: its commands with their answers.
 */
export function ataTranscript(drive: AtaDrive): string {
  return `smartctl 7.3\n\n${[
    command('IDENTIFY DEVICE', 0, identity(drive)),
    command('SMART ENABLE', 0),
    command('SMART STATUS CHECK', drive.passed ? 0 : 1),
    command('SMART READ ATTRIBUTE VALUES', 0, values(drive)),
    command('SMART READ ATTRIBUTE THRESHOLDS', 0, thresholds(drive)),
  ].join('\n')}`
}
