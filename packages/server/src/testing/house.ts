import { randomBytes } from 'node:crypto'
import { gzipSync } from 'node:zlib'
import type { FastifyInstance } from 'fastify'
import Joi from 'joi'
import pg from 'pg'
import { inject } from 'vitest'
import type { AccessLevel, Enrolment, NewEnrolmentKey, Problem, Report, ReportReceipt } from '#contract'
import type { ServiceProgress, Task } from '#contract/report'
import { fromLibrary, libraryTemplates, minute, type DeviceKind, type TemplateBody } from '#core'
import { buildApp, type AppOptions } from '../app'
import { openPool, type Pool } from '../db'
import type { Sending } from '../engine'
import { addPerson } from '../features/access'
import { openVault } from '../secrets/vault'
import { templateDatabase } from './postgres'

export interface Answer<T = unknown> {
  status: number
  body: T & Problem
  type: string
}
export type Caller = <T>(
  method: 'GET' | 'POST' | 'PUT' | 'DELETE',
  url: string,
  body?: unknown,
  headers?: Record<string, string>,
) => Promise<Answer<T>>

/** A server with a database of its own, two clients and three people. */
/** Somebody who is signed in. */
export interface PersonThere {
  id: number
  ask: Caller
  cookie: string
  signsInWith: { email: string; password: string }
}
export interface House {
  app: FastifyInstance
  pool: Pool
  url: string
  /** What its jobs send with. */
  sending: Sending
  lead: Caller
  technician: Caller
  /** A contact of the second client. */
  contact: Caller
  nobody: Caller
  /** Adds a person who may see these clients, and signs them in. */
  personWith(access: AccessLevel, clientIds: number[] | null): Promise<PersonThere>
  clients: [number, number]
  sites: [number, number]
  enrol(site: number, name: string, more?: { roles?: string[]; kind?: DeviceKind }): Promise<Agent>
  agentOf(enrolment: Enrolment): Agent
  close(): Promise<void>
}

/** Speaks for one device; times are given in minutes after the beginning, 48 of them ago. */
export class Agent {
  seq: number
  readonly id: number
  readonly key: string
  constructor(
    readonly app: FastifyInstance,
    { deviceId, deviceKey, firstSeq }: Enrolment,
    readonly began: number,
  ) {
    this.id = deviceId
    this.key = deviceKey
    this.seq = firstSeq - 1
  }

  at(minutes: number): number {
    return this.began + minutes * minute
  }
  report(minutes: number, more: Partial<Report> = {}): Report {
    return { seq: ++this.seq, at: this.at(minutes), interval: minute, readings: [['cpu.busy', '', 0.1]], ...more }
  }
  async send(reports: unknown[], envelope: object = {}): Promise<Answer<ReportReceipt>> {
    return this.raw(
      gzipSync(
        JSON.stringify({
          version: 1,
          sentAt: Date.now(),
          oldest: (reports[0] as Report | undefined)?.seq ?? 1,
          reports,
          ...envelope,
        }),
      ),
      { 'content-encoding': 'gzip' },
    )
  }
  /** Reports until it is handed its task, which the server looks for every two seconds. */
  async handed(): Promise<Task> {
    for (const end = Date.now() + 10_000; Date.now() < end;) {
      const { tasks } = (await this.send([this.report(0, { at: Date.now() })])).body
      if (tasks?.[0]) return JSON.parse(tasks[0].text) as Task
      await new Promise((resolve) => setTimeout(resolve, 200))
    }
    throw new Error('no task came')
  }
  /** Tells how a task about a service went: by itself that it was stopped and runs. Gives the status of the answer. */
  async did(task: Task, progress: Partial<ServiceProgress> = {}): Promise<number> {
    const service: ServiceProgress = {
      state: 'done',
      before: 'stopped',
      after: 'running',
      reason: '',
      hopeless: false,
      ...progress,
    }
    const { statusCode } = await this.app.inject({
      method: 'POST',
      url: `/api/agent/tasks/${task.id}`,
      payload: { service },
      headers: { authorization: `Bearer ${this.key}` },
    })
    return statusCode
  }
  async raw(payload: Buffer | string, headers: Record<string, string> = {}): Promise<Answer<ReportReceipt>> {
    const response = await this.app.inject({
      method: 'POST',
      url: '/api/agent/reports',
      payload,
      headers: { 'content-type': 'application/json', authorization: `Bearer ${this.key}`, ...headers },
    })
    return { status: response.statusCode, body: response.json(), type: String(response.headers['content-type']) }
  }
}

/** Gathers what of any successful answer is not as its route describes it. */
function holdAnswersToTheirSchemas(app: FastifyInstance): string[] {
  const misfits: string[] = []
  app.addHook('onSend', (request, reply, payload, done) => {
    const answer = request.routeOptions.config.route?.answer
    if (Joi.isSchema(answer) && reply.statusCode < 300) {
      const { error } = answer.validate(JSON.parse(String(payload)), { convert: false })
      if (error) misfits.push(`${request.method} ${request.url}: ${error.message}`)
    }
    done(null, payload)
  })
  return misfits
}

/** A request as a proxy on this machine hands on what came to it over TLS. */
export const throughProxy = (client: string) => ({
  remoteAddress: '127.0.0.1',
  headers: { 'x-forwarded-for': client, 'x-forwarded-proto': 'https' },
})

const password = 'correct horse battery'

/**
 * @param agentFolder of packaged agents
 * @param interval report interval that enrolled agents are told
 */
export async function openHouse(
  agentFolder = '',
  interval?: number,
  { vault = openVault(undefined), ...more }: Pick<AppOptions, 'address' | 'tls' | 'vault'> = {},
): Promise<House> {
  const base = inject('databaseUrl')
  const name = `house_${randomBytes(6).toString('hex')}`
  const admin = new pg.Client({ connectionString: base })
  await admin.connect()
  await admin.query(`create database ${name} template ${templateDatabase}`)
  const url = base.replace(/\/postgres$/, `/${name}`)
  const pool = openPool(url, 6)
  await addPerson(pool, { email: 'lead@lanternfield.example', name: 'Lead', password, access: 'lead', clientIds: null })
  const app = await buildApp({
    vault,
    pool,
    databaseUrl: url,
    agentFolder,
    pastWindows: true,
    ...(interval ? { interval } : {}),
    ...more,
  })
  const misfits = holdAnswersToTheirSchemas(app)

  const caller =
    (cookie = ''): Caller =>
    async <T>(
      method: 'GET' | 'POST' | 'PUT' | 'DELETE',
      path: string,
      body?: unknown,
      more: Record<string, string> = {},
    ) => {
      const response = await app.inject({
        method,
        url: path,
        headers: { cookie, ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...more },
        ...(body === undefined ? {} : { payload: JSON.stringify(body) }),
      })
      const type = String(response.headers['content-type'])
      return {
        status: response.statusCode,
        body: (type.includes('json') ? response.json() : response.body) as T & Problem,
        type,
      }
    }
  const cookieOf = async (email: string) =>
    String(
      (await app.inject({ method: 'POST', url: '/api/session', payload: { email, password } })).headers['set-cookie'],
    ).split(';')[0]!
  const signIn = async (email: string) => caller(await cookieOf(email))
  const lead = await signIn('lead@lanternfield.example')
  const made = async (path: string, body: unknown) => (await lead<{ id: number }>('POST', path, body)).body.id
  const [one, two] = [
    await made('/api/clients', { name: 'Tidemill Ferries', code: 'tm' }),
    await made('/api/clients', { name: 'Brindle Bakeries', code: 'bb' }),
  ]
  const sites: [number, number] = [
    await made('/api/sites', { clientId: one, name: 'Harbour', zone: 'Europe/Lisbon', networks: [] }),
    await made('/api/sites', { clientId: two, name: 'Plant', zone: 'Europe/Vienna' }),
  ]
  await made('/api/people', {
    email: 'tech@lanternfield.example',
    name: 'Tech',
    password,
    access: 'technician',
    clientIds: null,
  })
  await made('/api/people', {
    email: 'contact@brindle.example',
    name: 'Contact',
    password,
    access: 'contact',
    clientIds: [two],
  })

  const agentOf = (enrolment: Enrolment) => new Agent(app, enrolment, Date.now() - 48 * minute)
  return {
    app,
    pool,
    url,
    sending: { vault, origin: 'https://custode.lanternfield.example' },
    lead,
    sites,
    clients: [one, two],
    technician: await signIn('tech@lanternfield.example'),
    contact: await signIn('contact@brindle.example'),
    nobody: caller(),
    async personWith(access, clientIds) {
      const email = `${access}-${randomBytes(3).toString('hex')}@lanternfield.example`
      const id = await made('/api/people', { email, name: email, password, access, clientIds })
      const cookie = await cookieOf(email)
      return { id, ask: caller(cookie), cookie, signsInWith: { email, password } }
    },
    async enrol(site, deviceName, { roles = [], kind = 'server' } = {}) {
      const key = (await lead<{ key: string }>('POST', '/api/enrolment-keys', newKey(site, { kind, roles }))).body.key
      const enrolment = (
        await caller()<Enrolment>('POST', '/api/agent/enrol', {
          version: 1,
          key,
          name: deviceName,
          osFamily: 'linux',
          osName: 'Debian 12',
          sentAt: Date.now(),
        })
      ).body
      return agentOf(enrolment)
    },
    agentOf,
    async close() {
      await app.close()
      await pool.end()
      await admin.query(`drop database ${name} with (force)`)
      await admin.end()
      if (misfits.length) throw new Error(`answers that do not fit what the API says of them: ${misfits.join('; ')}`)
    },
  }
}

/** Assigns a starter template to every device; gives its id. */
export function assignFromLibrary(house: House, name: string): Promise<number> {
  return assignToAll(house, fromLibrary(libraryTemplates.find((template) => template.name === name)!))
}

/** Makes a template and assigns it to every device; gives its id. */
export async function assignToAll(house: House, template: TemplateBody): Promise<number> {
  const { id } = (await house.lead<{ id: number }>('POST', '/api/templates', template)).body
  await house.lead('POST', '/api/assignments', {
    templateId: id,
    target: { on: 'everyone' },
    rank: 100,
    values: {},
    dormant: false,
    reason: '',
  })
  return id
}

/** An enrolment key as a technician asks for it, good for one machine and a day. */
export const newKey = (siteId: number | null, more: Partial<NewEnrolmentKey> = {}): NewEnrolmentKey => ({
  siteId,
  clientId: null,
  label: '',
  uses: 1,
  days: 1,
  kind: 'server',
  roles: [],
  tags: [],
  ...more,
})
