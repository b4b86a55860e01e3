import type { UncoveredAlert } from '#contract'
import { subjects, type NamedPost, type WindowSubject } from '#core'

const keyOf = ({ deviceId, watch, instance }: NamedPost) => `${deviceId} ${watch} ${instance}`

/** What a window would have to be about to hold these alerts too; null: it is about them already. */
export function fittingSubject(subject: WindowSubject, alerts: readonly UncoveredAlert[]): WindowSubject | null {
  switch (subject.of) {
    case 'all':
      return null
    case 'families': {
      const wanted = new Set([...subject.families, ...alerts.map(({ family }) => family)])
      return wanted.size > subject.families.length
        ? { of: 'families', families: subjects.filter((family) => wanted.has(family)) }
        : null
    }
    case 'watches': {
      const watches = [...new Set([...subject.watches, ...alerts.map(({ watch }) => watch)])]
      return watches.length > subject.watches.length ? { of: 'watches', watches } : null
    }
    case 'posts': {
      const has = new Set(subject.posts.map(keyOf))
      const missing = alerts.filter((alert) => !has.has(keyOf(alert)))
      return missing.length
        ? {
            of: 'posts',
            posts: [
              ...subject.posts,
              ...missing.map(({ deviceId, watch, instance }) => ({ deviceId, watch, instance })),
            ],
          }
        : null
    }
  }
}
