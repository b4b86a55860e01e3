import { updateRatings, type Millis, type UpdateRating, type Updates, type WaitingUpdate } from '#core'
import { countUpdates, type FirstSeen } from '../firstSeen'

/** What the Windows Update Agent's searcher finds, and whether the registry says that a restart is pending. */
export interface FoundUpdates {
  updates: {
    Title: string
    Security: boolean
    /** Microsoft's rating of what it mends; null: none. */
    Rating?: string | null
    /** Somebody has chosen that it does not come. */
    Hidden?: boolean
    /** Numbers of its articles in the knowledge base. */
    Articles?: string
  }[]
  restart: boolean
  /** When it installed with success last (IAutomaticUpdatesResults), in milliseconds since 1970. */
  installed?: Millis | null
}

/**
 * IUpdateSearcher::Search of the Windows Update Agent; it changes nothing. An update is a security update when it is
 * in the category “Security Updates” (its identifier is that of the Windows Update Agent's documentation, from memory)
 * or carries a severity of Microsoft's security response centre. Hidden ones are those that somebody holds back. When
 * it installed last stands in IAutomaticUpdates2::Results, in UTC.
 */
export const updatesScript = `[Console]::OutputEncoding = New-Object Text.UTF8Encoding $false
$found = (New-Object -ComObject Microsoft.Update.Session).CreateUpdateSearcher().Search('IsInstalled=0').Updates
$results = try { (New-Object -ComObject Microsoft.Update.AutoUpdate).Results } catch { $null }
function At($time) { if ($time -is [DateTime]) { [long]([DateTime]::SpecifyKind($time, 'Utc') - [DateTime]'1970-01-01').TotalMilliseconds } else { $null } }
@{
updates = @($found | ForEach-Object { @{ Title = $_.Title; Rating = $_.MsrcSeverity; Hidden = [bool]$_.IsHidden; Articles = (@($_.KBArticleIDs | ForEach-Object { 'KB' + $_ }) -join ', '); Security = [bool]($_.MsrcSeverity -or ($_.Categories | Where-Object CategoryID -eq '0fa1201d-4330-4fa8-8ae9-b877473b6441')) } })
restart = (Test-Path 'HKLM:\\SOFTWARE\\Microsoft\\Windows\\CurrentVersion\\WindowsUpdate\\Auto Update\\RebootRequired') -or (Test-Path 'HKLM:\\SOFTWARE\\Microsoft\\Windows\\CurrentVersion\\Component Based Servicing\\RebootPending')
installed = At $results.LastInstallationSuccessDate
} | ConvertTo-Json -Compress -Depth 3`

const ratingOf = (told: string | null | undefined): UpdateRating | undefined =>
  updateRatings.find((rating) => rating === told?.toLowerCase())

/** @param seen how long one has been waiting counts from when it was first seen here */
export function parseUpdates(
  { updates, restart, installed = null }: FoundUpdates,
  seen: FirstSeen,
  now: Millis,
): { updates: Updates; waiting: WaitingUpdate[] } {
  const found = updates.map(({ Title, Security, Rating, Hidden, Articles }) => {
    const rating = ratingOf(Rating)
    return {
      name: Title,
      security: Security,
      ...(Articles ? { origin: Articles } : {}),
      ...(rating === undefined ? {} : { rating }),
      ...(Hidden ? { held: 'asked' as const } : {}),
    }
  })
  const { counts, waiting } = countUpdates({ waiting: found, leftover: [] }, seen, now)
  return {
    updates: {
      ...counts,
      restartPending: restart,
      restartSince: seen.state('restart', restart, now),
      checkedAt: now,
      // The search itself asks for the newest.
      listsAt: now,
      installedAt: installed,
    },
    waiting,
  }
}
