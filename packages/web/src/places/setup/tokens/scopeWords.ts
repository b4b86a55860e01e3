import type { TokenScope } from '#contract'

export const scopeWords: Record<TokenScope, string> = {
  read: 'read',
  'report-in': 'make requests, and nothing else',
  maintenance: 'read, and plan maintenance',
  all: 'all that its person may',
}
