import type { MessageState } from '#contract'
import type { CalloutStepKind } from '#core'

/** What a message says, in a word. */
export const stepWords: Record<CalloutStepKind, string> = {
  tell: 'told',
  worse: 'worse, told',
  again: 'told again',
  escalate: 'nobody took it, told',
  untouched: 'untouched, reminder',
  well: 'well again, told',
}
export const messageWords: Record<MessageState, string> = {
  gathering: 'gathered, not gone yet',
  waiting: 'waiting to leave',
  sending: 'being handed over',
  sent: 'sent',
  failed: 'did not leave',
  dropped: 'not sent: it was over before',
}
