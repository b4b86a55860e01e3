import { user } from './place'

/**
 * Services that leave the machine in another state than the one it is to be in, or open it: no watch is about them,
 * and no task starts them.
 */
const never =
  'systemd-(poweroff|reboot|halt|kexec|soft-reboot|suspend|hibernate|hybrid-sleep|suspend-then-hibernate|exit)|emergency|rescue|debug-shell|console-shell|initrd-.*'

/**
 * A script of root's that lets the agent's user start, stop and restart the services that this machine has, by name,
 * and nothing else of the service manager (polkit(8), “Authorization rules”; the action and its details `unit` and
 * `verb` are systemd's). A unit with NoNewPrivileges can gain no rights in another way. It runs before each start of
 * the agent, because services come and go; where the rule was removed it is not written again.
 */
export const rightsScript = `#!/bin/sh
# Lets the Custode agent start and stop the services that this machine has, when its server asks. Usage: rights RULES
set -eu
rules=$1
[ -e "$rules" ] || exit 0
list() { systemctl "$@" --type=service --no-legend --no-pager --full; }
names=$({ list list-unit-files; list list-units --all --plain; } | sed 's/^[^A-Za-z0-9]*//; s/[[:space:]].*//' | grep -E '^[A-Za-z0-9:_.@-]+\\.service$' | grep -v -E -e '@\\.service$' -e '^(${never})\\.service$' | sort -u)
[ -n "$names" ] || exit 0
{
  echo '// Custode agent: asked by its server’s signed tasks. Written anew at each start of the agent; remove this file to have it look only.'
  echo 'var custodeServices = ['
  echo "$names" | sed 's/.*/  "&",/'
  cat << 'RULE'
]
polkit.addRule(function (action, subject) {
  if (action.id !== 'org.freedesktop.systemd1.manage-units' || subject.user !== '${user}') return polkit.Result.NOT_HANDLED
  var allowed = ['start', 'stop', 'restart'].indexOf(action.lookup('verb')) >= 0 && custodeServices.indexOf(action.lookup('unit')) >= 0
  return allowed ? polkit.Result.YES : polkit.Result.NO
})
RULE
} > "$rules.new"
chmod 644 "$rules.new"
if cmp -s "$rules" "$rules.new"; then rm "$rules.new"; else mv "$rules.new" "$rules"; fi
`
