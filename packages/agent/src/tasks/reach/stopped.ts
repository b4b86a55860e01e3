import { durationText, type FailureKind, type Millis } from '#core'

/** Ends the way to a machine, with the kind that a technician acts on. */
export class StoppedError extends Error {
  constructor(
    readonly failure: FailureKind,
    reason: string,
  ) {
    super(reason)
  }
}

/**
 * Waits for a step at a machine, but not for ever: then the connection is closed, and whoever waits goes on.
 * @throws StoppedError timed out
 */
export async function inTime<T>(step: Promise<T>, within: Millis, close: () => void): Promise<T> {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => {
      close()
      reject(
        new StoppedError(
          'timed-out',
          `It accepted the connection, and then did not answer within ${durationText(within)}.`,
        ),
      )
    }, within)
  })
  try {
    return await Promise.race([step, late])
  } finally {
    clearTimeout(timer)
  }
}
