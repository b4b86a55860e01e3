import type { AccessLevel } from '#contract'

/** What each may do. */
export const accessWords: Record<AccessLevel, string> = {
  lead: 'do everything (lead)',
  technician: 'work on everything (technician)',
  contact: 'only look (client’s contact)',
}
