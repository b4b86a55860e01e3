/**
 * What is known of the key that a machine shows: nobody has accepted it yet, somebody has, or it is another than the
 * one that was accepted.
 */
export const hostKeyStates = ['new', 'accepted', 'changed'] as const
export type HostKeyState = (typeof hostKeyStates)[number]

/** @param seen SHA-256 of what it showed last, in base64; null: it was never met */
export function hostKeyState(seen: string | null, accepted: string | null): HostKeyState | null {
  if (seen === null) return null
  if (accepted === null) return 'new'
  return seen === accepted ? 'accepted' : 'changed'
}

/** As OpenSSH writes it (ssh-keygen(1), -l), so that both can be compared by eye. */
export function fingerprintText(sha256: string): string {
  return `SHA256:${sha256.replace(/=+$/, '')}`
}
