import type { ClientRemoval } from '#contract'
import type { ClientId } from '#core'
import { firstRow, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { announce } from '../../live'
import { audit, type Viewer } from '../access'
import { takeClient } from './retire'

const theirDevices = 'select id from device where client_id = $1'
const theirSites = 'select id from site where client_id = $1'
const theirAlerts = `select id from alert where client_id = $1 or device_id in (${theirDevices})
  or site_id in (${theirSites})`
const theirSteps = `select id from callout_step where alert_id in (${theirAlerts})
  or request_id in (select id from request where client_id = $1)`

/** In order: what refers to something goes before it. What the client or its devices own by themselves cascades. */
const removals: readonly string[] = [
  // Of what told of others, too, only that it was sent; a summary does not say of whom it told.
  `update callout_message set content = null
     where id in (select t.message_id from callout_told t where t.step_id in (${theirSteps}))`,
  `update callout_message set content = null where kind = 'digest'`,
  `delete from callout_message m where kind = 'callout'
     and exists (select from callout_told t where t.message_id = m.id and t.step_id in (${theirSteps}))
     and not exists (select from callout_told t where t.message_id = m.id and t.step_id not in (${theirSteps}))`,
  `delete from callout_step where alert_id in (${theirAlerts})
     or request_id in (select id from request where client_id = $1)`,
  `delete from callout_message m where kind = 'answer' and exists (select from request_entry e
     join request r on r.id = e.request_id where e.message_id = m.id and r.client_id = $1)`,
  'delete from request where client_id = $1',
  `delete from response where client_id = $1 or device_id in (${theirDevices})`,
  `delete from held where client_id = $1 or device_id in (${theirDevices})`,
  `delete from remediation where client_id = $1 or device_id in (${theirDevices})`,
  `delete from alert_entry where alert_id in (${theirAlerts})`,
  `delete from alert where id in (${theirAlerts})`,
  `delete from window_occurrence o where window_id in (select id from window_revision where client_id = $1)
     and not exists (select from held h where h.occurrence_id = o.id)`,
  `delete from window_revision r where client_id = $1
     and not exists (select from window_occurrence o where o.window_id = r.id)`,
  'delete from callout_revision where client_id = $1',
  `delete from standing_rule where (definition#>>'{when,clientId}')::int = $1`,
  'delete from calendar_feed where client_id = $1',
  `delete from update_device where device_id in (${theirDevices})`,
  `delete from wave_machine where device_id in (${theirDevices})
     or run_id in (select id from wave_run where device_id in (${theirDevices}) or site_id in (${theirSites}))`,
  `delete from wave_run where device_id in (${theirDevices}) or site_id in (${theirSites})`,
  `delete from sweep_host where sweep_id in
     (select id from sweep where device_id in (${theirDevices}) or site_id in (${theirSites}))`,
  `delete from sweep where device_id in (${theirDevices}) or site_id in (${theirSites})`,
  `delete from sweep_plan where device_id in (${theirDevices}) or site_id in (${theirSites})`,
  `delete from credential where client_id = $1 or site_id in (${theirSites})`,
  `delete from host_key where site_id in (${theirSites})`,
  ...[
    'coverage_waiver',
    'current_fact',
    'device_fact',
    'device_task',
    'enrolment_attempt',
    'log_event',
    'log_hour',
    'notice',
    'post_change',
    'post_state',
    'process_top',
    'refused_report',
    'report',
    'pack_due',
    'packed',
    'packed_to',
    'day_figure',
    'figure_due',
    'report_day',
    'rollup',
    'series',
    'role_finding',
    'settle_due',
    'device_past',
    'device_service',
    'device_update',
    'backlog_day',
  ].map((table) => `delete from ${table} where device_id in (${theirDevices})`),
  // What nobody's log says any more. Reports that are under way are waited for, so that none counts on what goes.
  'lock table log_shape in share row exclusive mode',
  'delete from log_shape s where not exists (select from log_event e where e.shape = s.id)',
  `delete from enrolment_attempt where key_id in
     (select id from enrolment_key where client_id = $1 or site_id in (${theirSites}))`,
  `delete from enrolment_key where client_id = $1 or site_id in (${theirSites})`,
  'update device set merged_into = null where client_id = $1',
  'delete from device where client_id = $1',
  `delete from site_past where site_id in (${theirSites})`,
  `delete from site_backlog where site_id in (${theirSites})`,
  'delete from site where client_id = $1',
  'delete from contact where client_id = $1',
  ...['person', 'token'].map(
    (table) => `update ${table} set client_ids = array_remove(client_ids, $1) where $1 = any(client_ids)`,
  ),
]

/**
 * Deletes all that is kept of a client that is out of use. What stays, because the law may want it: the lines of the
 * audit trail, which say what was done by whom; and that it was deleted.
 * @throws ProblemError where it is in use, or its name was not written as it is
 */
export async function removeClient(
  tx: Db,
  viewer: Viewer,
  id: ClientId,
  { name }: ClientRemoval,
): Promise<{ id: ClientId }> {
  const client = await takeClient(tx, viewer, id)
  if (client.retired_at === null)
    throw new ProblemError('still-used', 'Only a client that is out of use can be deleted. Take it out of use first.')
  if (name !== client.name)
    throw new ProblemError('invalid', `Write “${client.name}” to say that you mean it.`, [
      { at: 'name', message: 'not its name' },
    ])
  await tx.query('select from device where client_id = $1 order by id for update', [id])
  for (const sql of removals) await tx.query(sql, sql.includes('$1') ? [id] : [])
  // Who saw nobody else has nothing to sign in for.
  await tx.query(
    `update person set deactivated_at = now() where client_ids = '{}' and deactivated_at is null and access = 'contact'`,
  )
  const left = await firstRow<{ devices: number }>(
    tx,
    'select count(*)::int as devices from device where client_id = $1',
    [id],
  )
  await tx.query('delete from client where id = $1', [id])
  await audit(tx, {
    personId: viewer.id,
    action: 'deleted all data of',
    kind: 'client',
    id,
    clientId: id,
    detail: { name: client.name, code: client.code, left: left!.devices },
  })
  announce(tx, { topic: 'estate', clientIds: null, deviceIds: [] })
  return { id }
}
