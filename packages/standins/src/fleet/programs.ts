import { choiceName, isProcessChosen, type ProcessChoice, type Reading, type RunningProgram } from '#core'
import { osFamilyOf, type PlannedDevice } from '../estate/plan'

interface Program extends RunningProgram {
  service: string
  count: number
}

/** What the services of a device run, and how many of each. */
function running(plan: PlannedDevice): Program[] {
  const isLinux = osFamilyOf(plan) === 'linux'
  const own = plan.kind === 'workstation' ? ['browser', 'office', 'mail'] : plan.services
  return own.map((service, i) => {
    const name = isLinux ? service : `${service}.exe`
    const path = isLinux ? `/usr/sbin/${service}` : `C:\\Program Files\\${service}\\${name}`
    return {
      name,
      path,
      arguments: isLinux ? `${path} --config /etc/${service}.conf` : `"${path}" -service`,
      // Whose it is Windows' stand-ins do not tell, as its agents do not.
      ...(isLinux ? { user: i % 2 ? 'root' : service.slice(0, 12) } : {}),
      service,
      count: 1 + (i % 3) * 2,
    }
  })
}

export const programsOf = (plan: PlannedDevice): RunningProgram[] =>
  running(plan).map(({ service: _service, count: _count, ...program }) => program)

/** Of each choice how many there are and what they use; what belongs to a service that is down does not run. */
export function processReadings(
  plan: PlannedDevice,
  choices: readonly ProcessChoice[],
  load: number,
  isDown: (service: string) => boolean,
): Reading[] {
  if (!choices.length) return []
  const programs = running(plan).filter(({ service }) => !isDown(service))
  return choices.flatMap((choice): Reading[] => {
    const verdicts = programs.map((program) => isProcessChosen(choice, { ...program, names: [program.name] }))
    if (verdicts.includes(null)) return []
    const count = programs.reduce((sum, program, i) => sum + (verdicts[i] ? program.count : 0), 0)
    const name = choiceName(choice)
    const [cpu, memory] = [0.1 + load, plan.memory * 2e7]
    return [
      ['process.count', name, count],
      ['process.cpu', name, count ? cpu : 0],
      ['process.cpu.most', name, count ? cpu / count : 0],
      ['process.memory', name, memory * count],
      ['process.memory.most', name, count ? memory : 0],
    ]
  })
}
