import type { ReachLook, ReachRow } from '#contract'
import {
  checkName,
  inARowText,
  probeFaultText,
  probeGoodText,
  probeName,
  probeTroubleText,
  type ProbeCheck,
} from '#core'
import { nameInAddress } from '../readings/subjects'

export type LookState = 'good' | 'bad' | 'unsure' | 'trouble' | 'quiet' | 'early'

/** How one look stands, as the page shows it; whether enough failed in a row the server has judged. */
export function stateOf({ told, isQuiet }: ReachLook): LookState {
  if (isQuiet) return 'quiet'
  if (!told) return 'early'
  return told.outcome
}

/** What one device says of it, in words. */
export function lookText(look: ReachLook, check: ProbeCheck, now: number): string {
  const { told, isQuiet, toldAt } = look
  if (isQuiet)
    return toldAt === null ? 'has never told anything: is its agent old, or silent?' : 'has told nothing lately'
  if (!told) return 'is just asked'
  if (told.outcome === 'trouble') return `cannot look: ${probeTroubleText(told)}`
  if (told.outcome === 'good') return probeGoodText(told, now)
  return `${probeFaultText(told, check)}, ${inARowText(told.inARow)}`
}

export const whatOf = ({ check, host }: Pick<ReachRow, 'check' | 'host'>): string =>
  check ? (host ? probeName(check, host) : checkName(check)) : host

/** Where its times are drawn: they are readings of the device that looks. */
export const chartOf = ({ check, host }: ReachRow, { deviceId }: ReachLook) => ({
  path: `/estate/${deviceId}`,
  query: { open: nameInAddress({ metric: 'reach.time', instance: check ? probeName(check, host) : '' }) },
  hash: '#readings',
})

export const gapText: Record<NonNullable<ReachRow['gap']>, string> = {
  nobody: 'Nobody looks: no device of its site has an agent that may. Say “From” in the watch.',
  'no-address': 'Nobody looks: it has no address.',
  'not-allowed': 'Nobody looks: its address is neither in the networks of the site nor among its named addresses.',
  'too-many': 'Nobody looks: those that may have too much to look at already.',
}
