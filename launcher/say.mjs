/** A mistake that the person at the keyboard can put right: printed as one sentence, without a stack. */
export class PlainError extends Error {}

/** @param {string} text */
export function step(text) {
  process.stdout.write(`  ${text}\n`)
}
