import { collectRulesSchema, madeSchema, type CollectRuleView } from '#contract'
import { matcher, targetSentence, type Collecting, type Target } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, type Db, type Pool } from '../../../db'
import { bumpVersions } from '../../../engine'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'
import { audit, type Viewer } from '../../access'
import { allTraits, requireDevice } from '../../estate'
import { changePolicy } from '../../policy/change'
import { isForeign, matching, readEstate } from '../../policy/names'
import { collectRuleRows } from '../../../store/collecting'

/** Within a change of policy: adds a rule, and has the agents that it reaches told with their next report. */
export async function addCollectRule(
  tx: Db,
  target: Target,
  collect: Collecting,
  reason: string,
  viewer: Viewer,
): Promise<void> {
  const { id } = (await firstRow<{ id: number }>(
    tx,
    'insert into collect_rule (target, logs, collectors, reason, created_by) values ($1, $2, $3, $4, $5) returning id',
    [JSON.stringify(target), collect.logs, collect.collectors, reason, viewer.id],
  ))!
  await bumpVersions(
    tx,
    (await allTraits(tx, [target])).filter(matcher(target)).map((device) => device.id),
  )
  await audit(tx, { personId: viewer.id, action: 'made', kind: 'collecting', id, detail: { target, ...collect } })
}

/**
 * A technician speaks for single devices; what reaches further is a lead's decision.
 * @throws ProblemError not-allowed
 */
export async function requireTarget(db: Db, viewer: Viewer, target: Target): Promise<void> {
  if (target.on === 'devices') for (const deviceId of target.deviceIds) await requireDevice(db, viewer, deviceId)
  else if (viewer.access !== 'lead' || viewer.clientIds !== null)
    throw new ProblemError(
      'not-allowed',
      'What reaches every device of a role is decided by a lead. Choose the devices instead.',
    )
}

export function collectingRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/collect-rules',
    access: 'technician',
    summary: 'What is collected beyond the ordinary, and where',
    answer: collectRulesSchema,
    async handle({ viewer }) {
      const [estate, rules] = [await readEstate(pool, viewer.clientIds), await collectRuleRows(pool)]
      const devices = (
        await allTraits(
          pool,
          rules.map((rule) => rule.target),
        )
      ).filter((device) => viewer.clientIds?.includes(device.clientId) ?? true)
      return rules
        .filter(
          (rule) =>
            viewer.clientIds === null ||
            matching(rule.target, devices) > 0 ||
            !isForeign(rule.target, viewer.clientIds, estate),
        )
        .map(({ id, target, logs, collectors, reason, created_at, created_by }): CollectRuleView => ({
          id,
          targetText: targetSentence(target, estate),
          logs,
          collectors,
          reason,
          at: created_at,
          by: created_by ?? '',
          devices: matching(target, devices),
        }))
    },
  })
  route(app, {
    method: 'DELETE',
    url: '/api/collect-rules/:id',
    access: 'technician',
    summary: 'Collect it no longer; what was collected stays',
    answer: madeSchema,
    handle: ({ id, viewer }) =>
      inTransaction(pool, (tx) =>
        changePolicy(tx, Date.now(), async () => {
          const row = await firstRow<{ target: Target }>(
            tx,
            `update collect_rule set removed_at = now(), removed_by = $2 where id = $1 and removed_at is null
             returning target`,
            [id(), viewer.id],
          )
          if (
            !row ||
            (viewer.clientIds !== null && isForeign(row.target, viewer.clientIds, await readEstate(tx, null)))
          )
            throw new ProblemError('no-such-rule')
          await requireTarget(tx, viewer, row.target)
          await bumpVersions(
            tx,
            (await allTraits(tx, [row.target])).filter(matcher(row.target)).map((device) => device.id),
          )
          await audit(tx, { personId: viewer.id, action: 'removed', kind: 'collecting', id: id() })
          return { id: id() }
        }),
      ),
  })
}
