import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { answerWith } from '../../testing/page'
import { hasEnded } from './ended'
import { useSession } from './session'

const person = { id: 1, email: 'a@lanternfield.example', name: 'A', access: 'technician', clientIds: null, lookedAt: 0 }
const client = (id: number) => ({ id, name: `Client ${id}`, code: `c${id}`, deviceCount: 0, sites: [] })
beforeEach(() => {
  localStorage.clear()
  hasEnded.value = false
  setActivePinia(createPinia())
})

describe('the session', () => {
  it('knows who is signed in and what they may do', async () => {
    answerWith({ 'GET /session': person, 'GET /clients': [client(1)] })
    const session = useSession()
    expect(await session.load()).toBe(true)
    expect([session.mayChange, session.isLead]).toEqual([true, false])
  })
  it('is none when the server says so, and a fault when it says something else', async () => {
    answerWith({ 'GET /session': 401 })
    expect(await useSession().load()).toBe(false)
    answerWith({ 'GET /session': 500 })
    await expect(useSession().load()).rejects.toThrow('refused with 500')
  })
  it('has ended once the server says so to whoever was signed in, and not what was asked before', async () => {
    const session = useSession()
    answerWith({ 'GET /session': 401, 'GET /clients': 401 })
    expect(await session.load()).toBe(false)
    await expect(session.loadClients()).rejects.toThrow()
    answerWith({ 'GET /session': person, 'GET /clients': [client(1)] })
    expect([await session.load(), hasEnded.value]).toEqual([true, false])
    answerWith({ 'GET /clients': 401 })
    await expect(session.loadClients()).rejects.toThrow()
    expect(hasEnded.value).toBe(true)
  })
  it('keeps the client in view, also for the next time, until it is no longer there', async () => {
    answerWith({ 'GET /session': person, 'GET /clients': [client(1), client(2)] })
    const session = useSession()
    await session.load()
    session.choose(2)
    expect([session.inView(1), session.inView(2), session.client?.name]).toEqual([false, true, 'Client 2'])
    expect(localStorage.getItem('custode.client')).toBe('2')
    answerWith({ 'GET /clients': [client(1)] })
    await session.loadClients()
    expect([session.clientId, session.inView(1)]).toEqual([null, true])
    expect(localStorage.getItem('custode.client')).toBeNull()
  })
})
