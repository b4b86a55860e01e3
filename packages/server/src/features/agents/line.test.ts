import fastify from 'fastify'
import { afterEach, expect, it } from 'vitest'
import { patienceOf, WaitingLine } from './line'

let app = fastify()
afterEach(() => app.close())

/** A server whose agents wait until `work` is done. */
async function serve(work: (line: WaitingLine) => Promise<unknown>): Promise<string> {
  app = fastify({ logger: false })
  app.post('/', (request, reply) => {
    const line = new WaitingLine(request, reply)
    return line.answer(work(line))
  })
  return app.listen({ port: 0, host: '127.0.0.1' })
}

it('waits for as long as an agent says that it would, and 20 s for one that does not', () => {
  expect([undefined, 'wait=90', 'wait=9999', 'respond-async', 'wait=-1', ['wait=5']].map(patienceOf)).toEqual([
    20_000, 90_000, 600_000, 20_000, 20_000, 5000,
  ])
})
it('sends spaces ahead of an answer that reads as JSON all the same', async () => {
  const url = await serve(async (line) => {
    line.beat()
    line.beat()
    await Promise.resolve()
    return { work: true }
  })
  const answer = await fetch(url, { method: 'POST' })
  const text = await answer.text()
  expect([answer.status, answer.headers.get('content-type'), text]).toEqual([
    200,
    'application/json; charset=utf-8',
    '  {"work":true}',
  ])
  expect(JSON.parse(text)).toEqual({ work: true })
})
it('answers in the ordinary way where nothing had to be sent meanwhile, refusals too', async () => {
  const url = await serve(() => Promise.reject(Object.assign(new Error('no'), { statusCode: 403 })))
  expect((await fetch(url, { method: 'POST' })).status).toBe(403)
})
it('cuts off what fails after the first space, so that nobody takes half an answer for one', async () => {
  const url = await serve(async (line) => {
    line.beat()
    await new Promise((resolve) => setTimeout(resolve, 50))
    throw new Error('the database is away')
  })
  const answer = await fetch(url, { method: 'POST' })
  await expect(answer.text()).rejects.toThrow()
})
it('hears when an agent has gone', async () => {
  let isGone: () => void = () => undefined
  const gone = new Promise<void>((resolve) => {
    isGone = resolve
  })
  const url = await serve((line) => {
    line.onGone(isGone)
    return new Promise(() => undefined)
  })
  await expect(fetch(url, { method: 'POST', signal: AbortSignal.timeout(100) })).rejects.toThrow()
  await gone
})
