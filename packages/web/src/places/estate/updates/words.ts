import type { HeldReason, UpdateRating, WaitingUpdate } from '#core'

export const heldWords: Record<HeldReason, string> = {
  asked: 'on hold',
  kept: 'kept back by the package manager',
}
export const ratingWords: Record<UpdateRating, string> = {
  critical: 'critical',
  important: 'important',
  moderate: 'moderate',
  low: 'low',
}

/** What sort of update it is, and how its maker rates it. */
export function kindText({ security, rating }: { security: boolean; rating?: UpdateRating | null }): string {
  return `${security ? 'security' : 'other'}${rating ? `, rated ${ratingWords[rating]}` : ''}`
}

/** What would become of it: from which version to which, as far as that is known. */
export function stepText({ from, to }: Pick<WaitingUpdate, 'from' | 'to'>): string {
  return from && to ? `${from} → ${to}` : (to ?? '')
}
