import { linuxHome, user, type Place } from './place'

/**
 * The unit of the agent (systemd.service(5), systemd.exec(5)): a user of its own, nothing to write but its home, no
 * capability. It may read the journal and /var/log, which Debian gives to the groups systemd-journal and adm; memory is
 * bounded, because an agent must never be what a machine suffers from. systemd ends it when it no longer says that it
 * works. MemoryDenyWriteExecute is left out: the language's
 * compiler writes the code that it runs. What it may start and stop is written by root before each start (ExecStartPre,
 * “+”). Updates lie in its home: the user can replace what it runs itself, and nothing else.
 *
 * @param canNotify the machine has systemd-notify: without it nobody could say that all is well, and systemd would end
 * the agent
 */
export function unitText(
  { starter, rightsScript, rights }: Pick<Place, 'starter' | 'rightsScript' | 'rights'>,
  canNotify = true,
): string {
  const watchdog = canNotify ? 'WatchdogSec=300\nNotifyAccess=all\n' : ''
  return `[Unit]
Description=Custode agent
Documentation=man:systemd.exec(5)
Wants=network-online.target
After=network-online.target

[Service]
ExecStartPre=-+/bin/sh ${rightsScript} ${rights}
ExecStart=/bin/sh ${starter} ${linuxHome} --no-refresh
User=${user}
Group=${user}
SupplementaryGroups=adm systemd-journal
StateDirectory=custode-agent
StateDirectoryMode=0700
Restart=always
RestartSec=10
${watchdog}MemoryMax=128M
TasksMax=64
Nice=5
Environment=NODE_OPTIONS=--max-old-space-size=32
CapabilityBoundingSet=
NoNewPrivileges=yes
ProtectSystem=strict
ProtectHome=read-only
PrivateTmp=yes
ProtectKernelTunables=yes
ProtectKernelModules=yes
ProtectKernelLogs=yes
RemoveIPC=yes
ProtectControlGroups=yes
ProtectClock=yes
ProtectHostname=yes
RestrictNamespaces=yes
RestrictRealtime=yes
RestrictSUIDSGID=yes
RestrictAddressFamilies=AF_INET AF_INET6 AF_UNIX AF_NETLINK
LockPersonality=yes
SystemCallArchitectures=native
UMask=0077

[Install]
WantedBy=multi-user.target
`
}
