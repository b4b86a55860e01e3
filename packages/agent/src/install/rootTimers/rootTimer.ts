import { join } from 'node:path'

/**
 * Something that only root may see, and the agent is told: a script of root's that a timer of systemd's runs in a room
 * of its own, and that writes what it saw below /run, where only root can write. The agent's user gets no right by it.
 */
export interface RootTimer {
  name: string
  /** Where the script writes, and what it is given first; it goes with each start of the machine. */
  folder: string
  script: string
  /** The unit that runs it (systemd.service(5)). @param at where the script and the mark of a looking agent lie */
  serviceText(at: { script: string; lookOnly: string }): string
  /** When it runs (systemd.timer(5)). */
  timerText: string
}

/** Where the parts of one lie. */
export function rootTimerPlace(root: string, { name }: Pick<RootTimer, 'name'>) {
  return {
    script: join(root, `/usr/local/lib/custode-agent/${name.slice('custode-agent-'.length)}`),
    unit: join(root, `/etc/systemd/system/${name}.service`),
    timer: join(root, `/etc/systemd/system/${name}.timer`),
    wanted: join(root, `/etc/systemd/system/timers.target.wants/${name}.timer`),
  }
}
