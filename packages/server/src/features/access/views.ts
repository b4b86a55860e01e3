import { madeSchema, newSavedViewSchema, savedViewQuerySchema, savedViewsSchema, type SavedView } from '#contract'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'

/** More than these nobody finds again. */
const mostViews = 50

/** How people look at places, each their own. */
export function savedViewRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/views',
    access: 'contact',
    summary: 'Your saved views of a place, by name',
    answer: savedViewsSchema,
    query: savedViewQuerySchema,
    handle: ({ viewer, query }) =>
      rows<SavedView>(
        pool,
        'select id, name, query from saved_view where person_id = $1 and place = $2 order by lower(name) limit 50',
        [viewer.id, query.place],
      ),
  })
  route(app, {
    method: 'POST',
    url: '/api/views',
    access: 'contact',
    summary: 'Save a view of a place under a name; one of that name is replaced',
    answer: madeSchema,
    body: newSavedViewSchema,
    handle: ({ viewer, body }) =>
      inTransaction(pool, async (tx) => {
        // One after the other for each person, so that the count stays true.
        await tx.query('select from person where id = $1 for update', [viewer.id])
        const { count } = (await firstRow<{ count: number }>(
          tx,
          'select count(*)::int as count from saved_view where person_id = $1 and place = $2 and name <> $3',
          [viewer.id, body.place, body.name],
        ))!
        if (count >= mostViews)
          throw new ProblemError('invalid', `You have ${mostViews} views of this place. Remove one first.`, [
            { at: 'name', message: 'too many' },
          ])
        return (await firstRow<{ id: number }>(
          tx,
          `insert into saved_view (person_id, place, name, query) values ($1, $2, $3, $4)
           on conflict (person_id, place, name) do update set query = excluded.query returning id`,
          [viewer.id, body.place, body.name, body.query],
        ))!
      }),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/views/:id',
    access: 'contact',
    summary: 'Remove a saved view of yours',
    answer: madeSchema,
    async handle({ viewer, id }) {
      const gone = await firstRow<{ id: number }>(
        pool,
        'delete from saved_view where id = $1 and person_id = $2 returning id',
        [id(), viewer.id],
      )
      if (!gone) throw new ProblemError('no-such-view')
      return gone
    },
  })
}
