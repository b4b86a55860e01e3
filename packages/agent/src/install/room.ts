/** What an installation or an update takes on disk for a while, in bytes: the program packed, unpacked, and before. */
export const roomNeeded = 250e6

const megabytes = (bytes: number) => `${Math.round(bytes / 1e6)} MB`

/**
 * Why there is not room enough, for a person; null when there is.
 * @param free in bytes
 * @param disk as it stands in the sentence: *this disk*
 */
export function roomFault(free: number, disk: string): string | null {
  return free < roomNeeded ? `Only ${megabytes(free)} are free on ${disk}; ${megabytes(roomNeeded)} are needed.` : null
}
