import { user } from './place'

/**
 * Lets the agent's user start, stop and restart services, and nothing else of the service manager (polkit(8), “Authorization
 * rules”; the action and its details `unit` and `verb` are systemd's). A unit with NoNewPrivileges can gain no rights in
 * another way.
 */
export const polkitRule = `// Custode agent: asked by its server's signed orders. Remove this file to have it look only.
polkit.addRule(function (action, subject) {
  if (action.id !== 'org.freedesktop.systemd1.manage-units' || subject.user !== '${user}') return polkit.Result.NOT_HANDLED
  var allowed = ['start', 'stop', 'restart'].indexOf(action.lookup('verb')) >= 0 && /\\.service$/.test(action.lookup('unit') || '')
  return allowed ? polkit.Result.YES : polkit.Result.NO
})
`
