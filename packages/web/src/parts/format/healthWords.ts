import type { QueueName, Trouble } from '#contract'
import { countText } from '#core'
import { fullText } from './time'

/** What waits, in words. */
export const queueWords: Record<QueueName, string> = {
  messages: 'Messages that are to leave',
  callouts: 'Alerts and requests about which is to be decided who is told',
  settling: 'Devices to be looked at after a change',
  tasks: 'Tasks that agents have not fetched yet',
  packing: 'Devices whose readings are to be packed',
}

/** What is not well and what to do, in a sentence. */
export function troubleText({ code, name, since, count, answer }: Trouble): string {
  const from = since === null ? '' : ` since ${fullText(since)}`
  switch (code) {
    case 'mail-unset':
      return 'Call-out rules tell people by mail, and nobody has said how mail leaves.'
    case 'way-fails':
      return `Nothing arrives by ${name}${from}. It said: ${answer || 'nothing'}.`
    case 'messages-failed':
      return `${countText(count, 'message')} could not leave${from}. They are kept, to be sent again.`
    case 'mail-closed':
      return 'Clients write to an address of this house, and no server process takes their mail.'
    case 'queue-stuck':
      return `${queueWords[name as QueueName]}: ${count} wait${from}. Look into the log of the server.`
    case 'faults':
      return `The server failed at ${countText(count, 'thing')} within the last day, at last at ${answer}`
    case 'alone':
      return `The server process on ${name} is not there any more${from}.`
  }
}

/** Where it is mended. */
const ofWays: readonly Trouble['code'][] = ['mail-unset', 'way-fails', 'messages-failed', 'mail-closed']
export const troublePart = ({ code }: Trouble): string => (ofWays.includes(code) ? 'ways' : 'health')
