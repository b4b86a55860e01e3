import { installStatus } from '#core'
import { RefusedError } from '../uplink'

/** Why an installation ends, of the kinds that are told by its exit status. */
export class InstallError extends Error {
  constructor(
    readonly kind: keyof typeof installStatus,
    message: string,
  ) {
    super(message)
  }
}

const byErrno: Partial<Record<string, keyof typeof installStatus>> = {
  ENOSPC: 'disk-full',
  EDQUOT: 'disk-full',
  EACCES: 'no-rights',
  EPERM: 'no-rights',
}

/** With which status the program ends after an error: programs that started it need not read its words. */
export function exitStatusOf(error: unknown): number {
  if (error instanceof RefusedError) return installStatus['refused-by-the-server']
  const kind = error instanceof InstallError ? error.kind : byErrno[(error as NodeJS.ErrnoException).code ?? '']
  return kind ? installStatus[kind] : 1
}
