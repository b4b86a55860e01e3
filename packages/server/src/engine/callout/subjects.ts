import type { Target } from '#core'
import type { Db } from '../../db'
import { readRequestStories, type ToldRequest } from '../requests'
import { readStories, type ToldAlert } from './stories'

/** What somebody is told of. */
export interface Subject {
  of: 'alert' | 'request'
  id: number
}
export type Told = ToldAlert | ToldRequest

export const subjectKey = ({ of, id }: Subject): string => `${of} ${id}`

/** Alerts begin when the server knew of them. @param targets those of the rules, whose facts are read */
export async function readSubjects(db: Db, subjects: readonly Subject[], targets: readonly Target[]): Promise<Told[]> {
  const idsOf = (kind: Subject['of']) => subjects.flatMap(({ of, id }) => (of === kind ? [id] : []))
  return [
    ...(await readStories(db, idsOf('alert'), targets, true)),
    ...(await readRequestStories(db, idsOf('request'))),
  ]
}
