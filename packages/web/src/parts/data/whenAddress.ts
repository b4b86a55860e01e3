import type { RouteLocationRaw } from 'vue-router'
import { hour, type DeviceId, type MetricName, type Millis } from '#core'

/** Where a series is shown by hour of the week. */
export const whenAddress = (deviceId: DeviceId, metric: MetricName, instance: string): RouteLocationRaw => ({
  path: `/estate/${deviceId}`,
  query: { open: `${metric}|${instance}`, view: 'when' },
  hash: '#readings',
})

/** Where a series is shown around a moment, with that moment chosen. */
export const momentAddress = (
  deviceId: DeviceId,
  metric: MetricName,
  instance: string,
  at: Millis,
): RouteLocationRaw => ({
  path: `/estate/${deviceId}`,
  query: {
    open: `${metric}|${instance}`,
    from: new Date(at - 6 * hour).toISOString(),
    until: new Date(at + 6 * hour).toISOString(),
    at: new Date(at).toISOString(),
  },
  hash: '#readings',
})

/** What is usual for a series, beside how it is. */
export const usualAddress = (deviceId: DeviceId, metric: MetricName, instance: string): RouteLocationRaw => ({
  path: `/estate/${deviceId}`,
  query: { open: `${metric}|${instance}`, view: 'usual' },
  hash: '#readings',
})
