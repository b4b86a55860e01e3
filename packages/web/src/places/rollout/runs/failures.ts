import type { FailureKind } from '#core'

/** Why a machine got no agent, in words. */
export const failureWords: Readonly<Record<FailureKind, string>> = {
  'no-answer': 'no answer',
  'sign-in-refused': 'sign-in refused',
  'host-key-not-accepted': 'host key not accepted',
  'host-key-changed': 'host key changed',
  'unsupported-system': 'unsupported system',
  'disk-full': 'disk full',
  'no-rights': 'no rights',
  'timed-out': 'timed out',
  'refused-by-the-server': 'refused by the server',
  'something-else': 'something else',
}

/** Members of a run that failed, by why, the commonest first. */
export function failuresBy<Member extends { state: string }, Why extends string>(
  members: readonly Member[],
  why: (member: Member) => Why,
): [why: Why, failed: Member[]][] {
  const groups = new Map<Why, Member[]>()
  for (const member of members)
    if (member.state === 'failed') groups.set(why(member), [...(groups.get(why(member)) ?? []), member])
  return [...groups].sort((a, b) => b[1].length - a[1].length)
}
