/** What tells who, or what, wrote a mail. */
export interface MailSigns {
  /** Where a failure of delivery would be told; '': nowhere (RFC 5321, section 4.5.5). */
  returnPath: string
  from: string
  /**
   * Auto-Submitted (RFC 3834, section 5), Precedence, List-Id (RFC 2919), Content-Type, with its parameters; '':
   * none.
   */
  autoSubmitted: string
  precedence: string
  listId: string
  contentType: string
  /** How many servers it went through: its Received lines. */
  hops: number
}

export type MailKind = 'person' | 'auto-reply' | 'bounce' | 'list' | 'loop'

/** RFC 5321, section 6.3, has at least 100 as the limit of those who hand mail on; no mail to an office needs half. */
const mostHops = 50

/**
 * Who wrote a mail, as far as it says: a person, or a program that nobody should answer.
 *
 * @param own addresses of this house, by which nobody writes to itself
 * @example
 * mailKind({ ...signs, autoSubmitted: 'auto-replied' }, []) // 'auto-reply'
 */
export function mailKind(signs: MailSigns, own: readonly string[]): MailKind {
  const value = (text: string) => text.split(';')[0]!.trim().toLowerCase()
  const submitted = value(signs.autoSubmitted)
  const precedence = value(signs.precedence)
  // RFC 6522, section 3: a report on delivery; RFC 8098: on reading, which is no failure but no question either.
  if (value(signs.contentType) === 'multipart/report')
    return /report-type\s*=\s*"?disposition-notification/i.test(signs.contentType) ? 'auto-reply' : 'bounce'
  if (signs.hops > mostHops || own.some((address) => sameAddress(address, signs.from))) return 'loop'
  if ((submitted !== '' && submitted !== 'no') || precedence === 'auto_reply') return 'auto-reply'
  if (signs.returnPath === '') return 'bounce'
  if (signs.listId !== '' || ['bulk', 'list', 'junk'].includes(precedence)) return 'list'
  return 'person'
}

/** Addresses are compared without regard to case: of the local part, too, which all that matter do. */
export const sameAddress = (a: string, b: string): boolean => a.toLowerCase() === b.toLowerCase()
