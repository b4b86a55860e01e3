import { rmSync } from 'node:fs'
import { join } from 'node:path'

/**
 * Exit status with which the program asks to be started anew: EX_TEMPFAIL of sysexits.h. Service managers start it
 * again whatever it is.
 */
export const startAnew = 75

/** What the starter keeps in the agent's home. */
export const filesOf = (home: string) => ({
  programs: join(home, 'programs'),
  programOf: (version: string) => join(home, 'programs', version, 'custode-agent'),
  /** The version that runs instead of the installed one. */
  adopted: join(home, 'adopted'),
  /** What ran before it, by its version or as `installed`, and the number of the task that replaced it. */
  previous: join(home, 'previous'),
  /** How often it was started since it last stayed up. */
  starts: join(home, 'starts'),
  /**
   * One that has not proved itself: version, until when (seconds since 1970), how often it was started, number of the
   * task.
   */
  trial: join(home, 'trial'),
  /** The trial that was given up, until the server knows. */
  wentBack: join(home, 'went-back'),
  /** The release key that was learned last, and the oldest versions that are still taken. */
  trust: join(home, 'release-trust.json'),
})

/** Root has installed a program: that is the one to run, and its release key the one to trust. */
export function forgetUpdates(home: string): void {
  for (const path of Object.values(filesOf(home)))
    if (typeof path === 'string') rmSync(path, { recursive: true, force: true })
}

/** Only what was started by the starter can be replaced: nothing else would start the other program, or go back. */
export function startedByStarter(): boolean {
  return process.env.CUSTODE_AGENT_STARTER === '1'
}

/**
 * What root has said at the installation, by a file that the agent cannot write; on Windows, and before, it stood in
 * its identity.
 */
export function mayOnlyLook(identity: { looksOnly?: boolean }): boolean {
  return identity.looksOnly === true || process.env.CUSTODE_AGENT_LOOK_ONLY === '1'
}

const mostStarts = 3
/** Of one that has proved itself, without staying up for a while: then it comes down again and again. */
const mostStartsAdopted = 8

/**
 * The starter is a shell script, so that it is no part of what is replaced: a program that crashes, hangs or never
 * reports cannot keep the one before from coming back. It decides at each start which program runs, and replaces
 * itself by it.
 */
export const starterText = `#!/bin/sh
# Starts the Custode agent: the program beside this file, or an update of it that has proved itself.
# An update on trial is given up when its time is over or it was started ${mostStarts} times without proof; one that has
# proved itself when it was started ${mostStartsAdopted} times and never stayed up: then what ran before it runs again.
# Usage: start HOME [options of “custode-agent run”]
home=$1
shift
program=$(dirname "$0")/custode-agent
adopted=$(cat "$home/adopted" 2>/dev/null)
if [ -n "$adopted" ] && [ -x "$home/programs/$adopted/custode-agent" ]; then program=$home/programs/$adopted/custode-agent; fi
if [ -f "$home/trial" ]; then
  read -r version until starts task < "$home/trial"
  now=$(date +%s)
  if [ "$now" -ge "$until" ] || [ "$starts" -ge ${mostStarts} ] || [ ! -x "$home/programs/$version/custode-agent" ]; then
    mv "$home/trial" "$home/went-back"
  else
    echo "$version $until $((starts + 1)) $task" > "$home/trial.new" && mv "$home/trial.new" "$home/trial"
    program=$home/programs/$version/custode-agent
    # One that runs without proof until then is ended; whoever starts it again finds its time over.
    (
      sleep $((until - now))
      read -r still _ < "$home/trial" && [ "$still" = "$version" ] && kill -9 $$
    ) < /dev/null > /dev/null 2>&1 &
  fi
elif [ "$program" = "$home/programs/$adopted/custode-agent" ] && [ -f "$home/previous" ]; then
  starts=$(cat "$home/starts" 2>/dev/null)
  case $starts in '' | *[!0-9]*) starts=0 ;; esac
  if [ "$starts" -ge ${mostStartsAdopted} ]; then
    read -r before task < "$home/previous"
    echo "$adopted 0 0 $task" > "$home/went-back"
    rm -f "$home/previous" "$home/starts"
    program=$home/programs/$before/custode-agent
    if [ -x "$program" ]; then echo "$before" > "$home/adopted.new" && mv "$home/adopted.new" "$home/adopted"
    else rm -f "$home/adopted"; program=$(dirname "$0")/custode-agent; fi
  else
    echo $((starts + 1)) > "$home/starts.new" && mv "$home/starts.new" "$home/starts"
  fi
fi
CUSTODE_AGENT_STARTER=1
export CUSTODE_AGENT_STARTER
CUSTODE_AGENT_LOOK_ONLY=0
# Only root can write there.
if [ -e "$(dirname "$0")/look-only" ]; then CUSTODE_AGENT_LOOK_ONLY=1; fi
export CUSTODE_AGENT_LOOK_ONLY
exec "$program" run --home "$home" "$@"
`
