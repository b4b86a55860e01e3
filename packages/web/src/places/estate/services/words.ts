import type { Service, ServiceAction, ServiceStart, ServiceState, ServiceWatching } from '#core'

export const stateWords: Record<ServiceState, string> = {
  running: 'running',
  stopped: 'stopped',
  failed: 'failed',
  finished: 'finished',
  starting: 'starting',
  skipped: 'not needed here',
}
export const startWords: Record<ServiceStart, string> = {
  automatic: 'automatic',
  late: 'automatic, late',
  'on-demand': 'on demand',
  manual: 'by hand',
  disabled: 'disabled',
}
export const watchingWords: Record<ServiceWatching, string> = {
  'should run': 'should run',
  'should not run': 'should not run',
  'only failing': 'only whether it fails',
  'left out': 'left out',
}
export const verbWords: Record<ServiceAction['verb'], string> = { start: 'Start', stop: 'Stop', restart: 'Restart' }

/** What of a service makes sense to ask for. */
export function verbsFor({ state }: Pick<Service, 'state'>): ServiceAction['verb'][] {
  return state === 'running' || state === 'starting' || state === 'finished' ? ['restart', 'stop'] : ['start']
}
