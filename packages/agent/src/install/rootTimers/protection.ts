import { user } from '../place'
import type { RootTimer } from './rootTimer'

const folder = '/run/custode-agent-protection'
/** What the script writes: for each program that was asked a line `== name status`, and below it what it said. */
export const firewallFile = `${folder}/firewall`
/** So much of what a program says is written; whoever has more rules is told that they cannot be read. */
export const mostRules = 2_000_000

/**
 * A script of root's that lists the rules of the firewall, which only root may: those of nftables (nft(8)), without
 * what stands in sets; where it is not installed, of iptables (iptables-save(8)); and those of the older tables of the
 * kernel, where there are any. Nothing is changed.
 */
export const protectionScript = `#!/bin/sh
# The rules of this machine's firewall, for the Custode agent, whose user may not read them. Usage: protection FOLDER
set -eu
umask 027
export LC_ALL=C
folder=$1
has() { command -v "$1" > /dev/null; }
section() {
  name=$1
  shift
  if timeout 60 "$@" > "$folder/said" 2> "$folder/errors" < /dev/null; then code=0; else code=$?; fi
  printf '== %s %s\\n' "$name" "$code"
  if [ "$code" = 0 ]; then head -c ${mostRules} "$folder/said"; else tail -n 3 "$folder/errors"; fi
  printf '\\n'
}
older() { [ -n "$(cat "/proc/net/$1_tables_names" 2> /dev/null || true)" ]; }
{
  if has nft; then
    section nft nft --stateless --terse list ruleset
  else
    if has iptables-save; then section ip iptables-save -t filter; fi
    if has ip6tables-save; then section ip6 ip6tables-save -t filter; fi
  fi
  if older ip; then section ip iptables-legacy-save -t filter; fi
  if older ip6; then section ip6 ip6tables-legacy-save -t filter; fi
} > "$folder/firewall.new"
rm -f "$folder/said" "$folder/errors"
mv -f "$folder/firewall.new" "$folder/firewall"
`

/** It runs with what reads rules, in the network of the machine, whose rules they are. */
const serviceText: RootTimer['serviceText'] = ({ script }) => `[Unit]
Description=The rules of the firewall, for the Custode agent
Documentation=man:nft(8)

[Service]
Type=oneshot
ExecStart=/bin/sh ${script} ${folder}
Group=${user}
RuntimeDirectory=${folder.slice('/run/'.length)}
RuntimeDirectoryPreserve=yes
RuntimeDirectoryMode=0750
TimeoutStartSec=5min
LogLevelMax=notice
Nice=10
CapabilityBoundingSet=CAP_NET_ADMIN CAP_NET_RAW
NoNewPrivileges=yes
ProtectSystem=strict
ProtectHome=yes
PrivateTmp=yes
PrivateDevices=yes
ProtectKernelModules=yes
ProtectControlGroups=yes
RestrictAddressFamilies=AF_UNIX AF_NETLINK AF_INET AF_INET6
RestrictSUIDSGID=yes
LockPersonality=yes
`

/** Soon after a start, and four times an hour by the calendar; not all machines of a house at the same moment. */
const timerText = `[Unit]
Description=Lists the rules of the firewall four times an hour, for the Custode agent

[Timer]
OnActiveSec=5s
OnBootSec=1min
OnCalendar=*:0/15
RandomizedDelaySec=30s

[Install]
WantedBy=timers.target
`

export const protectionTimer: RootTimer = {
  name: 'custode-agent-protection',
  folder,
  script: protectionScript,
  serviceText,
  trigger: { by: 'timer', text: timerText },
}
