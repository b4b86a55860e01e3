/** A mistake that the person at the keyboard can put right: printed as one sentence, without a stack. */
export class PlainError extends Error {}

/** @param {string} text */
export function step(text) {
  // Not among what a command prints: that may go into a file.
  process.stderr.write(`  ${text}\n`)
}
