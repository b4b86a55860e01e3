import type { SignInTrial } from '#contract/report'
import { fingerprintText } from '#core'
import { StoppedError } from './stopped'

/** The key of one machine while it is spoken with: what may be sent there hangs on what it shows. */
export class HostKey {
  #shown: string | null = null
  #pinned: string | null

  /**
   * @param accepted SHA-256 of the key that somebody has accepted, in base64; null: nobody has
   * @param passwordsToUnknown it gets passwords all the same
   */
  constructor(
    accepted: string | null,
    private readonly passwordsToUnknown = false,
  ) {
    this.#pinned = accepted
    this.isAccepted = accepted !== null
  }
  private readonly isAccepted: boolean

  /** What it showed last. */
  get shown(): string | null {
    return this.#shown
  }

  /**
   * It shows a key, before anything secret is sent. From one connection to the next it must stay the same.
   * @throws StoppedError host key changed
   */
  meet(fingerprint: string): void {
    this.#shown = fingerprint
    this.#pinned ??= fingerprint
    if (this.#pinned !== fingerprint)
      throw new StoppedError(
        'host-key-changed',
        'The machine shows another key than before. It was reinstalled, or something stands in its place. Nothing secret was sent to it.',
      )
  }

  /** @throws StoppedError host key not accepted, when no password may go there */
  requirePasswords(): void {
    if (this.isAccepted || this.passwordsToUnknown) return
    throw new StoppedError(
      'host-key-not-accepted',
      `Nobody has accepted its key (${fingerprintText(this.#shown ?? '')}) yet, so no password was sent to it. Look at the key, accept it, and try again.`,
    )
  }
}

/** A key proves who signs in without being given away, a password does not: keys are tried first. */
export function keysFirst(trials: readonly SignInTrial[]): SignInTrial[] {
  return [
    ...trials.filter((trial) => trial.password === undefined),
    ...trials.filter((trial) => trial.password !== undefined),
  ]
}
