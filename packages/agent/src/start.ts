import { rmSync } from 'node:fs'
import { join } from 'node:path'

/** Exit status with which the program asks to be started anew: EX_TEMPFAIL of sysexits.h. Service managers start it again whatever it is. */
export const startAnew = 75

/** What the starter keeps in the agent's home. */
export const filesOf = (home: string) => ({
  programs: join(home, 'programs'),
  programOf: (version: string) => join(home, 'programs', version, 'custode-agent'),
  /** The version that runs instead of the installed one. */
  adopted: join(home, 'adopted'),
  /** One that has not proved itself: version, until when (seconds since 1970), how often it was started, number of the order. */
  trial: join(home, 'trial'),
  /** The trial that was given up, until the server knows. */
  wentBack: join(home, 'went-back'),
})

export function forgetUpdates(home: string): void {
  const { programs, adopted, trial, wentBack } = filesOf(home)
  for (const path of [programs, adopted, trial, wentBack]) rmSync(path, { recursive: true, force: true })
}

/** Only what was started by the starter can be replaced: nothing else would start the other program, or go back. */
export function startedByStarter(): boolean {
  return process.env.CUSTODE_AGENT_STARTER === '1'
}

const mostStarts = 3

/**
 * The starter is a shell script, so that it is no part of what is replaced: a program that crashes, hangs or never reports
 * cannot keep the one before from coming back. It decides at each start which program runs, and replaces itself by it.
 */
export const starterText = `#!/bin/sh
# Starts the Custode agent: the program beside this file, or an update of it that has proved itself.
# An update on trial is given up when its time is over or it was started ${mostStarts} times without proof.
# Usage: start HOME [options of “custode-agent run”]
home=$1
shift
program=$(dirname "$0")/custode-agent
adopted=$(cat "$home/adopted" 2>/dev/null)
if [ -n "$adopted" ] && [ -x "$home/programs/$adopted/custode-agent" ]; then program=$home/programs/$adopted/custode-agent; fi
if [ -f "$home/trial" ]; then
  read -r version until starts order < "$home/trial"
  now=$(date +%s)
  if [ "$now" -ge "$until" ] || [ "$starts" -ge ${mostStarts} ] || [ ! -x "$home/programs/$version/custode-agent" ]; then
    mv "$home/trial" "$home/went-back"
  else
    echo "$version $until $((starts + 1)) $order" > "$home/trial.new" && mv "$home/trial.new" "$home/trial"
    program=$home/programs/$version/custode-agent
    # One that runs without proof until then is ended; whoever starts it again finds its time over.
    (
      sleep $((until - now))
      read -r still _ < "$home/trial" && [ "$still" = "$version" ] && kill -9 $$
    ) < /dev/null > /dev/null 2>&1 &
  fi
fi
CUSTODE_AGENT_STARTER=1
export CUSTODE_AGENT_STARTER
exec "$program" run --home "$home" "$@"
`
