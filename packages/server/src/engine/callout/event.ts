import { CloudEvent } from 'cloudevents'
import type { Millis } from '#core'
import type { ToldItem } from './items'

/** Beginning of the types of events; what follows is the step. */
const typePrefix = 'custode.callout'

/**
 * What another system gets: a CloudEvent 1.0 in its JSON format (cloudevents.io, spec v1.0.2; json-format v1.0.2), the
 * same each time it is handed over.
 * @param id by which the other side knows it again
 */
export function composeEvent(id: string, item: ToldItem, origin: string, isLate: boolean): string {
  return JSON.stringify(
    new CloudEvent({
      specversion: '1.0',
      id,
      source: origin,
      type: `${typePrefix}.${item.step}`,
      subject: `${item.subject.of}/${item.subject.id}`,
      time: new Date(item.at).toISOString(),
      datacontenttype: 'application/json',
      data: {
        [item.subject.of]: item.subject.id,
        url: `${origin}/${item.subject.of}s/${item.subject.id}`,
        ...(item.asked ? { from: item.asked.by } : { severity: item.severity }),
        client: item.clientName,
        site: item.siteName,
        device: item.deviceName,
        watch: item.watchName,
        about: item.about,
        began: new Date(item.began).toISOString(),
        closed: item.closedAt === null ? null : new Date(item.closedAt).toISOString(),
        takenBy: item.takenBy,
        rule: item.ruleName,
        time: item.n,
        late: isLate,
      },
    }),
  )
}

/** An event that says only that it is a test. */
export function testEvent(id: string, origin: string, now: Millis): string {
  return JSON.stringify(
    new CloudEvent({
      specversion: '1.0',
      id,
      source: origin,
      type: `${typePrefix}.test`,
      time: new Date(now).toISOString(),
      datacontenttype: 'application/json',
      data: { text: 'Somebody tried whether this address can be reached. Nothing has happened.' },
    }),
  )
}
