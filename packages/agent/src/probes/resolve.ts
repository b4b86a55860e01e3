import { lookup } from 'node:dns/promises'
import { isAddress, mayReach, plainAddress, reachOf, type ReachBounds } from '#core'
import { FaultError, TroubleError } from './looked'
import { Slots } from './slots'

/** The system looks names up in threads of its own, of which there are few: others need them, too. */
const lookups = new Slots(2)

/**
 * The address to look at: the one that is written, or the first that a name leads to and that may be looked at. What
 * is connected to is that address, so that a name cannot lead elsewhere meanwhile.
 * @throws FaultError when its name is not found; TroubleError when it may not be looked at
 */
export async function addressOf(host: string, bounds: ReachBounds, find: typeof lookup = lookup): Promise<string> {
  if (reachOf(host, bounds) === 'no') throw new TroubleError('not-allowed', host)
  if (isAddress(host)) return plainAddress(host)!
  const found = await lookups
    .use(() => find(host, { all: true, verbatim: true }))
    .catch((error: unknown) => {
      const { code = '' } = error as NodeJS.ErrnoException
      // That nobody answers who would know says nothing of the name (getaddrinfo(3)).
      throw code === 'EAI_AGAIN' ? new TroubleError('no-names', code) : new FaultError('unresolved', code)
    })
  const fits = found.find(({ address }) => mayReach(address, bounds, host))
  if (!fits) throw new TroubleError('not-allowed', `${host}, ${found.map(({ address }) => address).join(', ')},`)
  return fits.address
}
