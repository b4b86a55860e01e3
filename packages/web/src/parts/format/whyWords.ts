import type { WhyStep } from '#core'
import { ageText, collectorWords } from '#core'
import { fullText } from './time'

const since = ({ at }: Pick<WhyStep, 'at'>) => (at === null ? '' : ` since ${fullText(at)}`)
const until = ({ until: end }: Pick<WhyStep, 'until'>) => (end === null ? '' : ` until ${fullText(end)}`)

/** One step of why there was an alert, or was none, in words. */
export function whyText(step: WhyStep): string {
  const { code, at, length, text, severity, collector } = step
  switch (code) {
    case 'not-watched':
      return 'nothing in its roster watched this'
    case 'left-out':
      return `it is left out: ${text}`
    case 'dormant':
      return 'what watches it is paused'
    case 'watched':
      return `it is watched by ${text}`
    case 'no-reading':
      return 'no report of that time is kept any more, or there never was one'
    case 'unheard':
      return `nothing was heard of the device${since(step)}: that neither raises nor clears anything`
    case 'collector-failed':
      return `its agent could not read ${collector ? collectorWords[collector] : 'it'}`
    case 'outside-hours':
      return `it is looked at only ${text}`
    case 'no-such-instance':
      return `its newest report knows of no ${text || 'such thing'}, or it is left out by name`
    case 'undecided':
      return `it was neither well nor a fault of its own: ${text}`
    case 'well':
      return `it was well: ${text || 'nothing failed'}`
    case 'failing':
      return `it failed${since(step)}: ${text}${severity ? `, which is ${severity}` : ''}`
    case 'remembered':
      return 'it had not come to fail: what is counted over several reports was within its limits'
    case 'not-seen':
      return 'those who look at it had not agreed that it fails: what each says now stands under Reachability'
    case 'not-long-enough':
      return length === null ? 'not for enough checks in a row' : `not yet for ${ageText(length)} without a gap`
    case 'long-enough':
      return `for long enough at ${fullText(at!)}, after ${ageText(Math.max(0, length!))}`
    case 'clearing':
      return `it was well again by then (${text}), but not for long enough to count`
    case 'dismissed':
      return 'somebody had closed it by hand, and it was neither well nor worse since'
    case 'tried':
      return `its agent tried to put it right${since(step)}, for ${ageText(length!)}, which did not help`
    case 'trying':
      return `its agent was trying to put it right${since(step)}; a person is told when that does not help`
    case 'not-named':
      return `was in force${until(step)}, but holds other things back`
    case 'held':
      return `held it back${since(step)}${until(step)}`
    case 'not-covered':
      return 'no window covered it'
    case 'told':
      return `and ${step.text || 'a call-out rule'} had somebody told, last ${fullText(step.at!)}`
    case 'not-told':
      return 'and no call-out rule had told anybody of it'
    case 'carried':
      return 'so there was an alert, carried by that of its device, of what it is reached through, or of its site'
    case 'alert':
      return `so there was an alert${since(step)}`
    case 'no-alert':
      return 'so there was no alert'
  }
}
