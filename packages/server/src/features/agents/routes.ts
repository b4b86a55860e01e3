import {
  agentSelfSchema,
  changeAnswerSchema,
  changeRequestSchema,
  batchLimits,
  enrolmentRequestSchema,
  enrolmentSchema,
  probeBatchSchema,
  probeReceiptSchema,
  reportReceiptSchema,
  taskReceiptSchema,
  taskProgressSchema,
} from '#contract'
import type { Millis } from '#core'
import type { FastifyInstance } from 'fastify'
import { inTransaction, type Pool } from '../../db'
import { readDeviceKey, takeLooks, type Engine } from '../../engine'
import { route } from '../../http/route'
import type { Signer } from '../../secrets/signer'
import { Admission, isLate } from './admission'
import { WaitingLine } from './line'
import { TaskBoard, type CompleteCommand } from '../../store/tasks'
import { enrolMachine } from '../rollout/enrolment/enrol'
import { recordProgress } from './progress'

/**
 * What agents speak with the server: they enrol, report, wait for changes, fetch work and tell how it goes.
 * @param complete puts into a command what is not kept with it, when it is handed over
 */
export function agentRoutes(
  app: FastifyInstance,
  pool: Pool,
  engine: Engine,
  interval: Millis,
  signer: Signer,
  complete: CompleteCommand,
): void {
  const board = new TaskBoard(pool, signer, complete, (deviceIds) => {
    engine.waiters.wake(deviceIds)
  })
  const admission = new Admission()
  app.addHook('onClose', () => board.stop())
  // Before the connections are closed: who waits is answered.
  app.addHook('preClose', (done) => {
    engine.waiters.stop()
    done()
  })
  route(app, {
    method: 'POST',
    url: '/api/agent/enrol',
    access: 'public',
    summary: 'An agent enrols its device with a key',
    answer: enrolmentSchema,
    body: enrolmentRequestSchema,
    handle: ({ body, request }) => enrolMachine(pool, body, request.ip, interval, signer.publicKey),
  })
  route(app, {
    method: 'GET',
    url: '/api/agent/self',
    access: 'device',
    summary: 'What a device is told about itself; says whether its key is taken',
    answer: agentSelfSchema,
    handle: ({ request }) => engine.self(request.headers.authorization),
  })
  route(app, {
    method: 'POST',
    url: '/api/agent/reports',
    access: 'device',
    summary: 'An agent hands in a batch of reports, gzipped if it likes',
    answer: reportReceiptSchema,
    bodyLimit: batchLimits.bytes,
    handle: ({ request, reply }) =>
      admission.admit(
        isLate(request.body),
        async () => {
          const receipt = await engine.take(request.headers.authorization, request.body, Date.now())
          const tasks = await board.take(readDeviceKey(request.headers.authorization).deviceId)
          return tasks.length ? { ...receipt, tasks } : receipt
        },
        (seconds) => reply.header('retry-after', seconds),
      ),
  })
  route(app, {
    method: 'POST',
    url: '/api/agent/probes',
    access: 'device',
    summary: 'An agent tells what it saw of other devices; what it was not asked is left out',
    answer: probeReceiptSchema,
    body: probeBatchSchema,
    async handle({ request, body }) {
      return takeLooks(pool, await engine.deviceOf(request.headers.authorization), body)
    },
  })
  // Agents of version 0.4.0 ask under the second address.
  for (const url of ['/api/agent/changes', '/api/agent/attend'])
    route(app, {
      method: 'POST',
      url,
      access: 'device',
      summary:
        'An agent waits to be told of another roster or of work; answered after 20 s at the latest, or as late as “Prefer: wait=” says (10 min at most), with spaces ahead of the answer meanwhile',
      answer: changeAnswerSchema,
      body: changeRequestSchema,
      handle({ request, reply, body }) {
        const line = new WaitingLine(request, reply)
        return line.answer(engine.awaitChange(request.headers.authorization, body.roster, (id) => board.has(id), line))
      },
    })
  route(app, {
    method: 'POST',
    url: '/api/agent/tasks/:id',
    access: 'device',
    summary: 'An agent tells how its work goes',
    answer: taskReceiptSchema,
    body: taskProgressSchema,
    async handle({ request, id, body }) {
      const deviceId = await engine.deviceOf(request.headers.authorization)
      await inTransaction(pool, (tx) => recordProgress(tx, deviceId, id(), body, Date.now()))
      return { heard: true }
    },
  })
}
