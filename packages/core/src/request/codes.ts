/** What can happen to a request. `came`, `auto-reply`, `bounce`: a mail about it; `reported`: by a
 * colleague or a program; the rest people do. */
export const requestEvents = [
  'came',
  'reported',
  'auto-reply',
  'bounce',
  'answered',
  'note',
  'taken',
  'given-back',
  'handed-over',
  'declined',
  'hidden',
  'shown',
  'joined',
  'placed',
  'closed',
  'reopened',
] as const
export type RequestEvent = (typeof requestEvents)[number]

/**
 * What became of a mail. `request`: a new one; `answer`: part of one that is there. Set aside: `auto-reply`, `bounce`,
 * `list`: by what its sender says of it; `loop`: it came from here; `flood`: too many of one sender; `unreadable`.
 */
export const mailFates = ['request', 'answer', 'auto-reply', 'bounce', 'list', 'loop', 'flood', 'unreadable'] as const
export type MailFate = (typeof mailFates)[number]
