import type { EnrolmentAttempt } from '#contract'
import { ageText, countText, minute, type Millis } from '#core'

export interface Step {
  name: string
  state: 'done' | 'waiting' | 'stuck'
  text: string
}

/** A machine that is well reports within this time. */
const patience = minute

/** How far a machine has come since it tried to enrol, and what to do where it stopped. */
export function stepsOf({ outcome, reason, at, device }: EnrolmentAttempt, now: Millis): Step[] {
  if (outcome === 'refused') return [{ name: 'Enrolled', state: 'stuck', text: reason }]
  if (!device) return [{ name: 'Enrolled', state: 'done', text: 'its device is gone since' }]
  const steps: Step[] = [
    {
      name: 'Enrolled',
      state: 'done',
      text: `as ${device.name} at ${device.clientName}, ${device.siteName}${reason ? `. ${reason}` : ''}`,
    },
  ]
  if (device.heardAt === null || device.heardAt < at) {
    const late = now - at > patience
    steps.push({
      name: 'First readings',
      state: late ? 'stuck' : 'waiting',
      text: late
        ? `none for ${ageText(now - at)}: it is installed, but not started, or its way here has closed. On the machine, “custode-agent check” says which; “systemctl status custode-agent” shows whether it runs.`
        : 'waiting…',
    })
    return steps
  }
  steps.push({
    name: 'First readings',
    state: 'done',
    text: `after ${ageText(Math.max(1000, device.heardAt - at))} or sooner`,
  })
  steps.push(
    device.watches
      ? { name: 'Roster', state: 'done', text: `${countText(device.watches, 'watch', 'watches')} in force` }
      : {
          name: 'Roster',
          state: 'stuck',
          text: 'no policy reaches it: nothing is watched. Give it a role, or assign a template.',
        },
  )
  if (device.startsAtBoot !== null)
    steps.push(
      device.startsAtBoot
        ? { name: 'Starts at boot', state: 'done', text: '' }
        : {
            name: 'Starts at boot',
            state: 'stuck',
            text: 'it runs, but will not come back after a restart: systemctl enable custode-agent, or have your own service manager start it.',
          },
    )
  return steps
}
