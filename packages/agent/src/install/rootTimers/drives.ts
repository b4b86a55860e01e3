import type { RootTimer } from './rootTimer'

/** Where root's script writes what the drives said; it goes with each start of the machine. */
const folder = '/run/custode-agent-drives'
/** The file in it: a line for each drive, how it was asked and what smartctl(8) answered in JSON, a tab between. */
export const drivesFile = `${folder}/drives`
/** What stands there in place of drives where smartmontools is not installed. */
export const noSmartctl = 'smartctl is not installed'

/**
 * A script of root's that asks the drives how they are: only root may send a drive commands, and the agent's user is
 * to have no right that could do anything else. It reads nothing that others can write. A drive that sleeps is left
 * asleep.
 */
export const drivesScript = `#!/bin/sh
# Asks the drives of this machine how they are, for the Custode agent, whose user may not. Usage: drives FOLDER
set -eu
umask 022
new=$1/drives.new
rm -f "$new"
if command -v smartctl > /dev/null; then
  # Where it cannot look for drives, what it found before stays, and grows old.
  found=$(smartctl --scan)
  printf '%s\\n' "$found" | sed 's/[[:space:]]*#.*//' | head -n 200 | while read -r name options; do
    [ -n "$name" ] || continue
    # Its exit status says how the drive is, and stands in the answer too.
    answer=$(timeout 60 smartctl --json=c -i -H -A -n standby $options "$name" < /dev/null | tr -d '\\n\\t') || true
    printf '%s\\t%s\\n' "$name $options" "$answer"
  done > "$new"
else
  echo '${noSmartctl}' > "$new"
fi
mv -f "$new" "$1/drives"
`

/** It runs with the capabilities that commands to drives need, and no network. */
const serviceText: RootTimer['serviceText'] = ({ script }) => `[Unit]
Description=How the drives are, for the Custode agent
Documentation=man:smartctl(8)

[Service]
Type=oneshot
ExecStart=/bin/sh ${script} ${folder}
RuntimeDirectory=${folder.slice('/run/'.length)}
RuntimeDirectoryPreserve=yes
RuntimeDirectoryMode=0755
TimeoutStartSec=30min
Nice=10
CapabilityBoundingSet=CAP_SYS_RAWIO CAP_SYS_ADMIN CAP_MKNOD
NoNewPrivileges=yes
ProtectSystem=strict
ProtectHome=yes
PrivateTmp=yes
PrivateNetwork=yes
ProtectKernelModules=yes
ProtectControlGroups=yes
RestrictSUIDSGID=yes
LockPersonality=yes
`

/**
 * Soon after a start, and once an hour by the calendar, so that a machine that has
 * slept asks at once; not all machines of a house at the same moment.
 */
const timerText = `[Unit]
Description=Asks the drives how they are once an hour, for the Custode agent

[Timer]
OnActiveSec=5s
OnBootSec=1min
OnCalendar=hourly
RandomizedDelaySec=30s

[Install]
WantedBy=timers.target
`

export const drivesTimer: RootTimer = {
  name: 'custode-agent-drives',
  folder,
  script: drivesScript,
  serviceText,
  trigger: { by: 'timer', text: timerText },
}
