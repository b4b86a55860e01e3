import { dictionary } from '@zxcvbn-ts/language-common'

/** Passwords that many people have, as the package has gathered them from published leaks; in lower case. */
const common = new Set<string>(dictionary['passwords-common'] as string[])

/** Whether guessers try it first: it, or it with figures and signs at its end. NIST SP 800-63B, section 3.1.1.2. */
export function isCommon(password: string): boolean {
  const lower = password.trim().toLowerCase()
  return common.has(lower) || common.has(lower.replace(/[\d!?.*#$_-]+$/, '')) || /^(.)\1*$/.test(lower)
}
