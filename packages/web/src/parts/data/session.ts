import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import type { Client, Person } from '#contract'
import type { Millis } from '#core'
import { api, ApiError } from './api'
import { asOf } from './asOf'
import { hasEnded } from './ended'
import { closeLive } from './live'

const remembered = Number(localStorage.getItem('custode.client')) || null

/** Who is signed in, which client is in view, and which time the page is narrowed to. */
export const useSession = defineStore('session', () => {
  const person = ref<Person | null>(null)
  const clients = ref<Client[]>([])
  const clientId = ref<number | null>(remembered)
  /** A span of time chosen on the watchline. */
  const span = ref<{ from: Millis; until: Millis } | null>(null)
  let asked = false

  /** Whether a person may see what only those who work here do. */
  const isStaff = computed(() => person.value?.access !== 'contact')
  /** Whether anything can be changed here: what was cannot. */
  const mayChange = computed(() => isStaff.value && asOf.value === null)
  const isLead = computed(() => person.value?.access === 'lead' && asOf.value === null)
  const client = computed(() => clients.value.find((client) => client.id === clientId.value) ?? null)

  async function load(): Promise<boolean> {
    if (asked && person.value) return true
    asked = true
    try {
      // Asked side by side; who this is decides.
      const all = loadClients()
      all.catch(() => undefined)
      person.value = await api.get<Person>('/session')
      if (!person.value.isFactorDue) await all
      // What was asked before somebody signed in was refused, too.
      hasEnded.value = false
      return true
    } catch (error) {
      if (error instanceof ApiError && error.problem.status === 401) return false
      throw error
    }
  }
  async function loadClients(): Promise<void> {
    clients.value = await api.get<Client[]>('/clients')
    if (clientId.value !== null && !clients.value.some((candidate) => candidate.id === clientId.value)) choose(null)
  }
  function choose(id: number | null): void {
    clientId.value = id
    if (id === null) localStorage.removeItem('custode.client')
    else localStorage.setItem('custode.client', String(id))
  }
  async function signOut(): Promise<void> {
    await api.delete('/session')
    closeLive()
    location.assign('/')
  }
  const inView = (id: number) => clientId.value === null || clientId.value === id
  return {
    person,
    clients,
    clientId,
    client,
    span,
    isStaff,
    mayChange,
    isLead,
    load,
    loadClients,
    choose,
    signOut,
    inView,
  }
})
