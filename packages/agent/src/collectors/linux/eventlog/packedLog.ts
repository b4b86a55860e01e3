import { readSync } from 'node:fs'
import { Readable } from 'node:stream'
import { constants, createGunzip, gunzipSync } from 'node:zlib'

/** Beyond it nothing is unpacked: small files may hold very much. */
const mostUnpacked = 256 * 1024 * 1024
const longestLine = 128 * 1024
const chunkSize = 64 * 1024

/** The first bytes of a packed file, unpacked. @throws Error where it is no gzip (RFC 1952) */
export function packedHead(handle: number, length: number): Buffer {
  const packed = Buffer.alloc(2 * length + 512)
  const read = readSync(handle, packed, 0, packed.length, 0)
  // It need not be whole.
  const head = gunzipSync(packed.subarray(0, read), { finishFlush: constants.Z_SYNC_FLUSH })
  return head.subarray(0, length)
}

function* chunksOf(handle: number): Generator<Buffer> {
  for (let at = 0; ;) {
    const chunk = Buffer.alloc(chunkSize)
    const length = readSync(handle, chunk, 0, chunkSize, at)
    if (length === 0) return
    at += length
    yield chunk.subarray(0, length)
  }
}

/**
 * Reads the lines of a packed file from a place on, all in one go: it can only be unpacked from its beginning.
 * @param from in bytes, unpacked
 * @param most so many bytes of lines are told, and those behind them counted
 * @returns how many bytes it has, and how many lines were passed by
 */
export async function readPacked(
  handle: number,
  from: number,
  most: number,
  line: (text: string) => void,
): Promise<{ size: number; leftOut: number }> {
  let [size, told, leftOut] = [0, 0, 0]
  let rest: Buffer = Buffer.alloc(0)
  let isMiddle = false
  const tell = (bytes: Buffer) => {
    if (isMiddle || bytes.length === 0) isMiddle = false
    else if (told + bytes.length > most) leftOut++
    else {
      told += bytes.length
      line(bytes.toString('utf8'))
    }
  }
  const file = Readable.from(chunksOf(handle))
  const unpacked = file.pipe(createGunzip())
  file.on('error', (error) => unpacked.destroy(error))
  try {
    for await (const chunk of unpacked as AsyncIterable<Buffer>) {
      const fresh = chunk.subarray(Math.max(0, Math.min(chunk.length, from - size)))
      size += chunk.length
      rest = rest.length ? Buffer.concat([rest, fresh]) : fresh
      let begin = 0
      for (let end = rest.indexOf(10); end >= 0; end = rest.indexOf(10, begin)) {
        tell(rest.subarray(begin, end))
        begin = end + 1
      }
      rest = rest.subarray(begin)
      if (rest.length > longestLine) {
        if (!isMiddle) leftOut++
        isMiddle = true
        rest = Buffer.alloc(0)
      }
      if (size > mostUnpacked) break
    }
  } finally {
    file.destroy()
  }
  tell(rest)
  return { size, leftOut }
}
