import { computed, type ComputedRef } from 'vue'
import type { Role } from '#contract'
import type { EstateNames } from '#core'
import { api } from './api'
import { useResource } from './resource'
import { useSession } from './session'

/** What things are called, for sentences about targets; a device that is not among `devices` is called by nothing. */
export function useEstateNames(devices: () => ReadonlyMap<number, string>): ComputedRef<EstateNames> {
  const session = useSession()
  const roles = useResource(() => api.get<Role[]>('/roles'), { topics: ['estate'] })
  return computed(() => ({
    client: (id) => session.clients.find((client) => client.id === id)?.name ?? null,
    site: (id) => session.clients.flatMap((client) => client.sites).find((site) => site.id === id)?.name ?? null,
    role: (id) => roles.data.value?.find((role) => role.id === id)?.name ?? null,
    device: (id) => devices().get(id) ?? null,
  }))
}
