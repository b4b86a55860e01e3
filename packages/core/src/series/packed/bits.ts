/** Bits written one after the other, least significant first. */
export class BitWriter {
  private bytes = new Uint8Array(2048)
  private length = 0
  private pending = 0
  private pendingBits = 0

  /** @param value an integer of at most `bits` bits, 53 at most */
  write(value: number, bits: number): void {
    if (bits > 24) {
      const high = Math.floor(value / 0x1000000)
      this.write(value - high * 0x1000000, 24)
      this.write(high, bits - 24)
      return
    }
    this.pending |= value << this.pendingBits
    this.pendingBits += bits
    this.makeRoom(8)
    while (this.pendingBits >= 8) {
      this.bytes[this.length++] = this.pending
      this.pending >>>= 8
      this.pendingBits -= 8
    }
  }

  /**
   * The same for many, of 24 bits at most each. In one loop, because a call for each would be most of the work.
   * @param bits how many each value has
   */
  writeAll(values: Int32Array, bits: Uint8Array, count: number): void {
    this.makeRoom(3 * count + 8)
    const { bytes } = this
    let { length, pending, pendingBits } = this
    for (let i = 0; i < count; i++) {
      pending |= values[i]! << pendingBits
      pendingBits += bits[i]!
      while (pendingBits >= 8) {
        bytes[length++] = pending
        pending >>>= 8
        pendingBits -= 8
      }
    }
    this.length = length
    this.pending = pending
    this.pendingBits = pendingBits
  }

  private makeRoom(bytes: number): void {
    if (this.length + bytes <= this.bytes.length) return
    const longer = new Uint8Array(2 * this.bytes.length + bytes)
    longer.set(this.bytes)
    this.bytes = longer
  }

  /** What was written, filled up with zeros to a whole byte. */
  finish(): Uint8Array {
    if (this.pendingBits > 0) this.write(0, 8 - this.pendingBits)
    return this.bytes.slice(0, this.length)
  }
}

const damaged = () => new RangeError('Packed readings end too early: they are damaged.')

/** Reads what a `BitWriter` wrote. @throws RangeError past the end: the bytes are damaged or cut off */
export class BitReader {
  private at = 0
  private pending = 0
  private pendingBits = 0
  constructor(private readonly bytes: Uint8Array) {}

  read(bits: number): number {
    if (bits > 24) {
      const low = this.read(24)
      return low + 0x1000000 * this.read(bits - 24)
    }
    while (this.pendingBits < bits) {
      if (this.at >= this.bytes.length) throw damaged()
      this.pending |= this.bytes[this.at++]! << this.pendingBits
      this.pendingBits += 8
    }
    const value = this.pending & ((1 << bits) - 1)
    this.pending >>>= bits
    this.pendingBits -= bits
    return value
  }

  /** How many ones stand before the next zero, which is passed over; `most` (24 at most) ones are followed by none. */
  readOnes(most: number): number {
    while (this.pendingBits < 24 && this.at < this.bytes.length) {
      this.pending |= this.bytes[this.at++]! << this.pendingBits
      this.pendingBits += 8
    }
    const zeros = ~this.pending
    const ones = Math.min(31 - Math.clz32(zeros & -zeros), most)
    if (ones >= this.pendingBits && ones < most) throw damaged()
    const passed = ones < most ? ones + 1 : ones
    this.pending >>>= passed
    this.pendingBits -= passed
    return ones
  }
}
