import type { Millis, Updates } from '#core'

/** What the Windows Update Agent's searcher finds, and whether the registry says that a restart is pending. */
export interface FoundUpdates {
  updates: { Title: string; Security: boolean }[]
  restart: boolean
}

/**
 * IUpdateSearcher::Search of the Windows Update Agent; it changes nothing. An update is a security update when it is
 * in the category “Security Updates” (its identifier is that of the Windows Update Agent's documentation, from memory)
 * or carries a severity of Microsoft's security response centre.
 */
export const updatesScript = `[Console]::OutputEncoding = New-Object Text.UTF8Encoding $false
$found = (New-Object -ComObject Microsoft.Update.Session).CreateUpdateSearcher().Search('IsInstalled=0 and IsHidden=0').Updates
@{
updates = @($found | ForEach-Object { @{ Title = $_.Title; Security = [bool]($_.MsrcSeverity -or ($_.Categories | Where-Object CategoryID -eq '0fa1201d-4330-4fa8-8ae9-b877473b6441')) } })
restart = (Test-Path 'HKLM:\\SOFTWARE\\Microsoft\\Windows\\CurrentVersion\\WindowsUpdate\\Auto Update\\RebootRequired') -or (Test-Path 'HKLM:\\SOFTWARE\\Microsoft\\Windows\\CurrentVersion\\Component Based Servicing\\RebootPending')
} | ConvertTo-Json -Compress -Depth 3`

/** @param seen when each was first seen here: how long one has been waiting counts from then */
export function parseUpdates(
  { updates, restart }: FoundUpdates,
  seen: Readonly<Record<string, Millis>>,
  now: Millis,
): { updates: Updates; seen: Record<string, Millis> } {
  const since = Object.fromEntries(updates.map((update) => [update.Title, seen[update.Title] ?? now]))
  const [security, other] = [updates.filter((update) => update.Security), updates.filter((update) => !update.Security)]
  const oldest = (list: FoundUpdates['updates']) =>
    list.length ? Math.min(...list.map((update) => since[update.Title]!)) : null
  return {
    updates: {
      security: security.length,
      other: other.length,
      leftover: 0,
      oldestSecurityAt: oldest(security),
      oldestOtherAt: oldest(other),
      restartPending: restart,
      checkedAt: now,
      names: [...security, ...other].map((update) => update.Title.slice(0, 200)).slice(0, 200),
    },
    seen: since,
  }
}
