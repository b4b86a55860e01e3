import { boundsOf, isAddress, isHostName, plainAddress, reachOf, type SiteId } from '#core'
import { firstRow, type Db } from '../db'
import { ProblemError } from '../http/problems'

interface Place {
  name: string
  networks: string[]
  named: string[]
}

/**
 * The address of a device without an agent, as it is kept.
 * @throws ProblemError invalid where it is none, or lies where nobody may look
 */
export async function requireLookable(tx: Db, siteId: SiteId, text: string): Promise<string> {
  const site = await firstRow<Place>(tx, 'select name, networks, named_addresses as named from site where id = $1', [
    siteId,
  ])
  if (!site) throw new ProblemError('no-such-site')
  const address = isAddress(text) ? plainAddress(text)! : text.toLowerCase().replace(/\.$/, '')
  if (!isAddress(address) && !isHostName(address))
    throw new ProblemError('invalid', `“${text}” is neither an address (198.51.100.7) nor a name (shop.example).`, [
      { at: 'address', message: 'no address and no name' },
    ])
  if (reachOf(address, boundsOf(site.networks, site.named)) === 'no')
    throw new ProblemError(
      'invalid',
      `${address} is neither in the networks of ${site.name} (${site.networks.join(', ') || 'none declared'}) nor among its named addresses (${site.named.join(', ') || 'none'}). A lead names it at the site, under Set up.`,
      [{ at: 'address', message: 'may not be looked at from this site' }],
    )
  return address
}
