import { existsSync, mkdirSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { readFile, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { minute, type Millis, type OwnProgram } from '#core'
import { rootTimerPlace } from '../../install/rootTimers'
import { countersFolder, countersTimer } from '../../install/rootTimers/counters'
import { CounterTroubleError, type CounterText } from './sources'

/** Asks a program itself. @throws CounterTroubleError */
export interface OwnPrograms {
  /** Which are asked from now on. */
  want(programs: readonly OwnProgram[]): void
  text(program: OwnProgram, now: Millis): Promise<CounterText>
}

/** What root's script wrote is of another time when it is older. */
const oldAfter: Millis = 5 * minute

/**
 * Programs of Linux, by what root's script writes of them while the agent asks for it.
 * @param home of the agent; null: it has none, and nobody asks
 */
export function ownOfLinux(
  home: string | null,
  folder = countersFolder,
  trigger = rootTimerPlace('', countersTimer).trigger,
): OwnPrograms {
  /** Why the marks could not be made. */
  let unmarked = ''
  function mark(home: string, programs: readonly OwnProgram[]): void {
    const marks = join(home, 'counters-wanted')
    const there = existsSync(marks) ? readdirSync(marks) : []
    if (programs.length) mkdirSync(marks, { recursive: true, mode: 0o700 })
    for (const name of there)
      if (!(programs as readonly string[]).includes(name)) rmSync(join(marks, name), { force: true })
    for (const name of programs) if (!there.includes(name)) writeFileSync(join(marks, name), '')
  }
  return {
    want(programs) {
      if (home === null) return
      unmarked = ''
      try {
        mark(home, programs)
      } catch (error) {
        unmarked = (error as Error).message
      }
    },
    async text(program, now) {
      if (program === 'active-directory') throw new CounterTroubleError('not-here', 'it is of Windows')
      if (unmarked) throw new CounterTroubleError('failed', unmarked)
      const file = join(folder, program)
      const found = await Promise.all([stat(file), readFile(file, 'utf8')]).catch(() => null)
      if (!found) throw new CounterTroubleError(existsSync(trigger) ? 'waiting' : 'not-installed')
      const [{ mtimeMs: at }, said] = found
      if (now - at > oldAfter) throw new CounterTroubleError('waiting')
      const end = said.indexOf('\n')
      const [status, text] = [said.slice(0, end), said.slice(end + 1)]
      if (status !== '0')
        throw new CounterTroubleError(status === '127' ? 'not-here' : 'failed', text.trim().slice(0, 200))
      return { text, at }
    },
  }
}
