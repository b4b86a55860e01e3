import type { SignInTrial } from '#contract/report'

/** That a machine took none of the sign-ins, with their names, for the technician. */
export function refusedText(trials: readonly SignInTrial[]): string {
  const names = trials.map(({ name, user }) => (name === undefined ? user : `“${name}”`))
  if (names.length === 1) return `The sign-in ${names[0]!} was refused.`
  const last = names.pop()!
  return `${names.length === 1 ? 'Both' : `All ${names.length + 1}`} sign-ins were refused: ${names.join(', ')} and ${last}.`
}
