import Fastify from 'fastify'
import pg from 'pg'

/** The ceiling: a Fastify route that does nothing but one durable insert of the values it was sent. */
const pool = new pg.Pool({ connectionString: process.env.CUSTODE_DATABASE, max: 12 })
await pool.query(
  'drop table if exists bare; create table bare (device_id int, at timestamptz, seq bigint, value float8[])',
)
const app = Fastify()
app.post<{
  Body: { reports: { seq: number; at: number; readings: [string, string, number][] }[] }
  Params: { id: string }
}>('/:id', async (request) => {
  const [report] = request.body.reports
  await pool.query({
    name: 'bare',
    text: 'insert into bare values ($1, $2, $3, $4)',
    values: [
      Number(request.params.id),
      new Date(report!.at),
      report!.seq,
      report!.readings.map((reading) => reading[2]),
    ],
  })
  return { acknowledged: report!.seq }
})
await app.listen({ port: Number(process.env.CUSTODE_PORT), host: '127.0.0.1' })
