import { join } from 'node:path'

/**
 * Something that only root may see, and the agent is told: a script of root's that systemd runs in a room of its own,
 * by a timer or while the agent asks for it, and that writes what it saw below /run, where only root can write. The
 * agent's user gets no right by it.
 */
export interface RootTimer {
  name: string
  /** Where the script writes, and what it is given first; it goes with each start of the machine. */
  folder: string
  script: string
  /** The unit that runs it (systemd.service(5)). @param at where the script and the mark of a looking agent lie */
  serviceText(at: { script: string; lookOnly: string }): string
  /** When it runs (systemd.timer(5), systemd.path(5)). */
  trigger: { by: 'timer' | 'path'; text: string }
}

/** Where the parts of one lie. */
export function rootTimerPlace(root: string, { name, trigger }: Pick<RootTimer, 'name' | 'trigger'>) {
  const triggerName = `${name}.${trigger.by}`
  return {
    script: join(root, `/usr/local/lib/custode-agent/${name.slice('custode-agent-'.length)}`),
    unit: join(root, `/etc/systemd/system/${name}.service`),
    triggerName,
    trigger: join(root, `/etc/systemd/system/${triggerName}`),
    wanted: join(root, `/etc/systemd/system/${trigger.by}s.target.wants/${triggerName}`),
  }
}
