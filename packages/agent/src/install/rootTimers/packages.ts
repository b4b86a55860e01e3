import type { RootTimer } from './rootTimer'

const folder = '/run/custode-agent-packages'
export const packagesFolder = folder

/**
 * A script of root's for what the agent's user may not do: once a day it fetches the lists of packages, and once an
 * hour while that fails; it looks which programs run files that were replaced (proc_pid_maps(5)), which only root sees
 * of all; and where dnf(8) or zypper(8) install, whose memory would be too much for the agent, it asks them what waits.
 * Nothing is installed, removed or restarted. Where an agent only looks, lists are fetched by whoever does it there.
 */
export const packagesScript = `#!/bin/sh
# What waits to be installed on this machine, for the Custode agent, whose user may not ask all of it.
# Usage: packages FOLDER LOOK-ONLY
set -eu
umask 022
export LC_ALL=C DEBIAN_FRONTEND=noninteractive
folder=$1
look_only=$2
now=$(date +%s)
has() { command -v "$1" > /dev/null; }

# When the lists were fetched last, since when that fails, and what was said. A zero: never.
fetched=0
failing=0
if [ -r "$folder/fetched" ]; then
  { read -r fetched; read -r failing; } < "$folder/fetched" || true
  # What is no number is none: a file that was cut off must not stop this for ever.
  case "$fetched" in '' | *[!0-9]*) fetched=0 ;; esac
  case "$failing" in '' | *[!0-9]*) failing=0 ;; esac
fi

fetch() {
  if has apt-get; then set -- apt-get --quiet -o APT::Update::Error-Mode=any update
  elif has dnf; then set -- dnf makecache --refresh
  else set -- zypper --non-interactive --quiet refresh; fi
  said=$(timeout 1800 "$@" 2>&1) || { printf '%s\\n' "$said"; return 1; }
  printf '%s\\n' "$said"
  # To dnf, and to apt before 2.1, an archive that does not answer is no failure: they say so, and end well.
  ! printf '%s\\n' "$said" | grep -q '^Err:\\|^W: Failed to fetch\\|^Error'
}

# A day by the calendar's hours: one that is a minute early does not wait for another.
stale() { [ "$failing" != 0 ] || [ $((now - fetched)) -ge 84600 ] || [ "$fetched" -gt "$now" ]; }
if [ ! -e "$look_only" ] && { has apt-get || has dnf || has zypper; } && stale; then
  if said=$(fetch 2>&1 < /dev/null); then
    fetched=$now
    failing=0
  elif printf '%s\\n' "$said" | grep -q 'Could not get lock\\|System management is locked'; then
    # Somebody else fetches them at this moment.
    said=
  elif [ "$failing" = 0 ]; then
    failing=$now
  fi
  {
    echo "$fetched"
    echo "$failing"
    printf '%s\\n' "$said" | grep '^[EW]:\\|^Err\\|[Ee]rror' | tail -n 20 || true
  } > "$folder/fetched.new"
  mv -f "$folder/fetched.new" "$folder/fetched"
fi

section() {
  name=$1
  shift
  if said=$(timeout 900 "$@" 2> "$folder/errors" < /dev/null); then code=0; else code=$?; fi
  printf '== %s %s\\n%s\\n' "$name" "$code" "$said"
  if [ "$code" != 0 ]; then printf '== %s.errors 0\\n' "$name"; tail -n 3 "$folder/errors"; fi
  rm -f "$folder/errors"
}

ask_dnf() {
  section all dnf -q -C --disableplugin=versionlock --disableexcludes=all repoquery --upgrades --latest-limit=1 \\
    --qf '%{name}.%{arch}\\t%{evr}\\t%{repoid}\\n'
  section free dnf -q -C repoquery --upgrades --latest-limit=1 --qf '%{name}.%{arch}\\n'
  section advisories dnf -q -C updateinfo list --updates
  section installed rpm -qa --qf '%{NAME}.%{ARCH}\\t%{EVR}\\n'
  section leftover dnf -q -C repoquery --unneeded --qf '%{name}\\n'
  section restart dnf -C needs-restarting -r
}

ask_zypper() {
  zypper='zypper --non-interactive --quiet --no-refresh'
  section all $zypper --xmlout list-updates --all
  section free $zypper --xmlout list-updates
  section security $zypper --xmlout patch --category security --dry-run
  section locks $zypper --xmlout locks
  section leftover $zypper packages --unneeded
  section restart $zypper needs-rebooting
}

if ! has apt-get; then
  ask=
  if has dnf; then ask=ask_dnf; elif has zypper; then ask=ask_zypper; fi
  # Anew once a day, after lists were fetched, and when something was installed.
  due() {
    [ -z "$(find "$folder/packages" -mmin -1410 2> /dev/null)" ] || [ -n "$(find "$folder/fetched" /var/lib/rpm \\
      /usr/lib/sysimage/rpm /etc/dnf /etc/zypp -newer "$folder/packages" 2> /dev/null | head -n 1)" ]
  }
  if [ -n "$ask" ] && due; then
    { echo "\${ask#ask_}"; $ask; } > "$folder/packages.new"
    mv -f "$folder/packages.new" "$folder/packages"
  fi
fi

grep -sH '^[^ ]* ..x. .* (deleted)$' /proc/[0-9]*/maps | head -n 20000 > "$folder/replaced.new" || true
mv -f "$folder/replaced.new" "$folder/replaced"
`

/**
 * It runs with what apt-get(8) needs to fetch as a user of its own, and to look at others' memory maps. Its network is
 * for the archives of packages alone.
 */
const serviceText: RootTimer['serviceText'] = ({ script, lookOnly }) => `[Unit]
Description=What waits to be installed, for the Custode agent
Documentation=man:apt-get(8)
Wants=network-online.target
After=network-online.target

[Service]
Type=oneshot
ExecStart=/bin/sh ${script} ${folder} ${lookOnly}
RuntimeDirectory=${folder.slice('/run/'.length)}
RuntimeDirectoryPreserve=yes
RuntimeDirectoryMode=0755
TimeoutStartSec=2h
Nice=10
IOSchedulingClass=idle
CapabilityBoundingSet=CAP_SYS_PTRACE CAP_SETUID CAP_SETGID CAP_CHOWN CAP_FOWNER CAP_DAC_OVERRIDE CAP_KILL
NoNewPrivileges=yes
ProtectSystem=full
ProtectHome=yes
PrivateTmp=yes
PrivateDevices=yes
ProtectKernelModules=yes
ProtectKernelTunables=yes
ProtectControlGroups=yes
RestrictRealtime=yes
LockPersonality=yes
`

/** Soon after a start, and once an hour by the calendar; not all machines of a house at the same moment. */
const timerText = `[Unit]
Description=Asks once an hour what waits to be installed, for the Custode agent

[Timer]
OnActiveSec=5s
OnBootSec=2min
OnCalendar=hourly
RandomizedDelaySec=5min

[Install]
WantedBy=timers.target
`

export const packagesTimer: RootTimer = {
  name: 'custode-agent-packages',
  folder,
  script: packagesScript,
  serviceText,
  trigger: { by: 'timer', text: timerText },
}
