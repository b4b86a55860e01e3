import { minute, type Millis } from '#core'
import { ProblemError } from '../../http/problems'

/** Batches that a process works on at a time: those of now, and how many of them may be of what was kept. */
const most = { live: 1000, late: 200 }
/** What waited for longer than this was kept by its agent while it had no connection. */
const lateAfter: Millis = 10 * minute
/** Whoever is turned away comes back within these seconds, each at a time of its own. */
const back = { least: 5, most: 30 }

/** Whether a batch, unchecked as it came, begins with what its agent has kept: an old report is sent first. */
export function isLate(body: unknown): boolean {
  const { sentAt, reports } = (body ?? {}) as { sentAt?: unknown; reports?: unknown }
  const first = Array.isArray(reports) ? (reports[0] as { at?: unknown } | undefined) : undefined
  return typeof sentAt === 'number' && typeof first?.at === 'number' && sentAt - first.at > lateAfter
}

/**
 * Takes in as much as the process can work on, and turns the rest away before anything is done for it: agents keep
 * what they have and come again. What happens now goes before what was kept, so that a fleet that comes back after an
 * outage does not hide what fails meanwhile.
 */
export class Admission {
  #underWay = 0
  #late = 0
  constructor(private readonly limit = most) {}

  /**
   * @param say told in how many seconds to come again, where it is turned away
   * @throws ProblemError too-many-reports
   */
  async admit<Answer>(late: boolean, work: () => Promise<Answer>, say: (seconds: number) => void): Promise<Answer> {
    if (this.#underWay >= this.limit.live || (late && this.#late >= this.limit.late)) {
      say(back.least + Math.floor(Math.random() * (back.most - back.least + 1)))
      throw new ProblemError('too-many-reports')
    }
    this.#underWay++
    this.#late += Number(late)
    try {
      return await work()
    } finally {
      this.#underWay--
      this.#late -= Number(late)
    }
  }
}
