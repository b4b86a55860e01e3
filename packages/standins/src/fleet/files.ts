import { fileAskName, hour, second, type FileAsk, type FileTold, type Millis, type Reading } from '#core'

/** A stand-in has one file of each kind that somebody asks for, written anew each hour. */
export function fileReadings(asks: readonly FileAsk[], at: Millis): Reading[] {
  return asks.flatMap((ask): Reading[] => {
    const name = fileAskName(ask)
    const age = (at % hour) / second
    return [
      ['file.count', name, 1],
      ['file.size', name, 48_000],
      ['file.largest', name, 48_000],
      ['file.newest', name, age],
      ['file.oldest', name, age],
      ...(ask.words ? ([['file.lines', name, 0]] satisfies Reading[]) : []),
    ]
  })
}

export const filesTold = (asks: readonly FileAsk[]): FileTold[] =>
  asks.map((ask) => ({ name: fileAskName(ask), ...(ask.digest ? { digest: 'as it was' } : {}) }))
