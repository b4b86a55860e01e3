import { minute, type Millis } from '#core'
import { steady } from '../../clock'
import { told } from '../../powershell/powershell'
import type { OwnPrograms } from '../counters/own'
import { CounterTroubleError, type CounterText } from '../counters/sources'

/** What one run of PowerShell tells; null: this machine is no domain controller, or would not tell. */
interface FoundReplication {
  /** Who this controller gets what from, by partition (MSAD_ReplNeighbor); times in seconds since 1970. */
  partners: Record<string, { failures: number; success: number | null }> | null
}

/** It changes nothing. Class and properties are documented; the script was run nowhere. */
export const replicationScript = `[Console]::OutputEncoding = New-Object Text.UTF8Encoding $false
@{
partners = try { $all = @{}; Get-CimInstance -Namespace root/MicrosoftActiveDirectory -ClassName MSAD_ReplNeighbor -ErrorAction Stop | ForEach-Object { $name = ($_.SourceDsaCN -split ',')[0] + ' ' + $_.NamingContextDN; $when = $_.TimeOfLastSyncSuccess; $all[$name] = @{ failures = [int]$_.NumConsecutiveSyncFailures; success = if ($when) { [long]($when.ToUniversalTime() - [DateTime]'1970-01-01').TotalSeconds } else { $null } } }; $all } catch { $null }
} | ConvertTo-Json -Compress -Depth 4`

/** To begin PowerShell costs more than what is asked of it. */
const every: Millis = 5 * minute

/** Programs of Windows that the agent asks itself: how a domain controller keeps up with the others. */
export function ownOfWindows(): OwnPrograms {
  let last: (CounterText & { since: Millis }) | null = null
  return {
    want: () => undefined,
    async text(program, now) {
      if (program !== 'active-directory') throw new CounterTroubleError('not-here', 'on Windows it is not asked')
      if (!last || steady() - last.since >= every) {
        const found = await told<FoundReplication>(replicationScript, { partners: null }, 60_000)
        if (found.partners === null)
          throw new CounterTroubleError('failed', 'it is no domain controller, or does not tell')
        last = { text: JSON.stringify(found), at: now, since: steady() }
      }
      return last
    },
  }
}
