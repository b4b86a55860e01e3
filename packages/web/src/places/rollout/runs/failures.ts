/** Members of a run that failed, by why, the commonest first. */
export function failuresBy<Member extends { state: string }>(
  members: readonly Member[],
  why: (member: Member) => string,
): [why: string, failed: Member[]][] {
  const groups = new Map<string, Member[]>()
  for (const member of members)
    if (member.state === 'failed') groups.set(why(member), [...(groups.get(why(member)) ?? []), member])
  return [...groups].sort((a, b) => b[1].length - a[1].length)
}
