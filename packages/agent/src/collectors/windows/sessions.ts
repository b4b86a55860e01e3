import { minute, type Millis, type Reading, type Session } from '#core'
import { steady } from '../../clock'
import { told } from '../../powershell/powershell'
import type { Collect } from '../collector'

/** What one run of PowerShell tells; null: this Windows does not have it, or would not tell. */
export interface FoundSessions {
  /** The shells of desktops (Win32_Process), one a session: whose, and since when. */
  shells: { SessionId: number; User: string; Began: Millis }[] | null
  /** Of the sessions from afar (RemoteFX Network), the way and back, in ms. */
  ways: number[] | null
  /** Win32_TerminalServiceSetting, SessionBrokerDrainMode: 0 takes sessions, 1 none until a restart, 2 none. */
  drain: number | null
  /** Whether it is a host of desktops for several (TerminalServerMode 1). */
  isHost: boolean
}

/** It changes nothing. Classes and properties are documented; the script was run nowhere. */
export const sessionsScript = `[Console]::OutputEncoding = New-Object Text.UTF8Encoding $false
function At($time) { [long]($time.ToUniversalTime() - [DateTime]'1970-01-01').TotalMilliseconds }
$setting = try { Get-CimInstance -Namespace root/CIMV2/TerminalServices -ClassName Win32_TerminalServiceSetting -ErrorAction Stop } catch { $null }
@{
shells = try { @(Get-CimInstance Win32_Process -Filter "Name = 'explorer.exe'" -ErrorAction Stop | ForEach-Object { $owner = Invoke-CimMethod -InputObject $_ -MethodName GetOwner; if ($owner.User) { @{ SessionId = [int]$_.SessionId; User = $owner.Domain + '\\' + $owner.User; Began = At $_.CreationDate } } }) } catch { $null }
ways = try { @(Get-CimInstance Win32_PerfRawData_Counters_RemoteFXNetwork -ErrorAction Stop | ForEach-Object { [int]$_.CurrentTCPRTT }) } catch { $null }
drain = if ($setting) { [int]$setting.SessionBrokerDrainMode } else { $null }
isHost = [bool]($setting -and $setting.TerminalServerMode -eq 1)
} | ConvertTo-Json -Compress -Depth 4`

const nothing: FoundSessions = { shells: null, ways: null, drain: null, isHost: false }

const drained: Readonly<Record<number, string>> = {
  1: 'it takes no sessions until it is started anew',
  2: 'it takes no sessions',
}

export function parseSessions({ shells, ways, drain, isHost }: FoundSessions): {
  readings: Reading[]
  sessions: { list: Session[]; closedBy?: string | null }
} {
  // A session has one shell; one that was started again counts from its first.
  const list = [...(shells ?? [])]
    .sort((a, b) => a.Began - b.Began)
    .filter(({ SessionId }, i, all) => all.findIndex((each) => each.SessionId === SessionId) === i)
    .map(({ SessionId, User, Began }): Session => {
      return { id: String(SessionId), user: User, kind: 'desktop', since: Began, from: '' }
    })
  const readings: Reading[] = [['sessions.count', '', list.length]]
  if (ways?.length) readings.push(['sessions.latency', '', Math.max(...ways)])
  return { readings, sessions: { list, ...(isHost && drain !== null ? { closedBy: drained[drain] ?? null } : {}) } }
}

/** To begin PowerShell costs more than what is asked of it. */
const every: Millis = 5 * minute

export function sessions(): Collect {
  let last: { at: Millis; told: ReturnType<typeof parseSessions> } | null = null
  return {
    name: 'sessions',
    async collect() {
      if (!last || steady() - last.at >= every) {
        const found = await told(sessionsScript, nothing, 60_000)
        if (found.shells === null) throw new Error('who is signed in could not be read')
        last = { at: steady(), told: parseSessions(found) }
      }
      return { readings: last.told.readings, facts: { sessions: last.told.sessions } }
    },
  }
}
