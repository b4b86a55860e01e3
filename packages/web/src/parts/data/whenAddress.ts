import type { RouteLocationRaw } from 'vue-router'
import type { DeviceId, MetricName } from '#core'

/** Where a series is shown by hour of the week. */
export const whenAddress = (deviceId: DeviceId, metric: MetricName, instance: string): RouteLocationRaw => ({
  path: `/estate/${deviceId}`,
  query: { open: `${metric}|${instance}`, view: 'when' },
  hash: '#readings',
})
