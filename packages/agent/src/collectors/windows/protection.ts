import { minute, type Firewall, type GuardedVolume, type Millis, type Protection, type Scanner } from '#core'
import { steady } from '../../clock'
import { told } from '../../powershell/powershell'
import type { Collect } from '../collector'

/** What one run of PowerShell tells; null: this Windows does not have it, or would not tell. */
export interface FoundProtection {
  /** Of the Security Center, which only Windows for workstations has: AntiVirusProduct and FirewallProduct. */
  scanners: Product[] | null
  firewalls: Product[] | null
  /** Get-MpComputerStatus, of the antivirus that Windows brings. */
  own: { On: boolean; Made: Millis | null } | null
  /** Get-NetFirewallProfile of the rules in force. */
  profiles: { Name: string; On: boolean; Open: boolean }[] | null
  /** Win32_EncryptableVolume, the removable ones left out. */
  volumes: { Name: string; Status: number }[] | null
  /** The first line of w32tm /query /status; null: the service of time does not run. */
  time: string | null
}
interface Product {
  Name: string
  State: number
}

/** It changes nothing. */
export const protectionScript = `[Console]::OutputEncoding = New-Object Text.UTF8Encoding $false
function At($time) { if ($time -is [DateTime]) { [long]($time.ToUniversalTime() - [DateTime]'1970-01-01').TotalMilliseconds } else { $null } }
function Products($class) { try { @(Get-CimInstance -Namespace root/SecurityCenter2 -ClassName $class -ErrorAction Stop | ForEach-Object { @{ Name = [string]$_.displayName; State = [long]$_.productState } }) } catch { $null } }
$time = try { & w32tm.exe /query /status 2>$null | Select-Object -First 1 } catch { $null }
if ($LASTEXITCODE -ne 0) { $time = $null }
@{
scanners = Products 'AntiVirusProduct'
firewalls = Products 'FirewallProduct'
own = try { Get-MpComputerStatus -ErrorAction Stop | ForEach-Object { @{ On = [bool]($_.AntivirusEnabled -and $_.RealTimeProtectionEnabled); Made = At $_.AntivirusSignatureLastUpdated } } } catch { $null }
profiles = try { @(Get-NetFirewallProfile -PolicyStore ActiveStore -ErrorAction Stop | ForEach-Object { @{ Name = [string]$_.Name; On = ([string]$_.Enabled -eq 'True'); Open = ([string]$_.DefaultInboundAction -eq 'Allow') } }) } catch { $null }
volumes = try { @(Get-CimInstance -Namespace root/CIMV2/Security/MicrosoftVolumeEncryption -ClassName Win32_EncryptableVolume -ErrorAction Stop | Where-Object { $_.DriveLetter -and $_.VolumeType -ne 2 } | ForEach-Object { @{ Name = [string]$_.DriveLetter; Status = [int]$_.ProtectionStatus } }) } catch { $null }
time = if ($time) { [string]$time } else { $null }
} | ConvertTo-Json -Compress -Depth 4`

export const nothing: FoundProtection = {
  scanners: null,
  firewalls: null,
  own: null,
  profiles: null,
  volumes: null,
  time: null,
}
const ownName = 'Microsoft Defender'

/**
 * What the Security Center writes of a product as one number: in the fourth digit of sixteen from the right whether it
 * is on, in the second whether what it knows is old. Its maker documents the values (WSC_SECURITY_PRODUCT_STATE,
 * WSC_SECURITY_SIGNATURE_STATUS), and not where they lie; that is from memory.
 */
const isOn = ({ State }: Product) => ((State >> 12) & 0xf) === 1
const isOutdated = ({ State }: Product) => ((State >> 4) & 0xf) !== 0

function scannersOf({ scanners, own }: FoundProtection): Scanner[] {
  const known = (scanners ?? []).map((product): Scanner => {
    const isOwn = own !== null && /Defender/.test(product.Name)
    const definitions = isOwn ? { definitionsAt: own.Made } : { isOutdated: isOutdated(product) }
    return { name: product.Name, isOn: isOn(product), ...definitions }
  })
  // Servers have no Security Center.
  if (own === null || known.some(({ name }) => /Defender/.test(name))) return known
  return [...known, { name: ownName, isOn: own.On, definitionsAt: own.Made }]
}

function firewallsOf({ profiles, firewalls }: FoundProtection): Firewall[] {
  const other = (firewalls ?? []).find(isOn)?.Name
  if (profiles === null) {
    const trouble = 'its profiles could not be read'
    return other ? [] : ['Domain', 'Private', 'Public'].map((name) => ({ name, isOn: null, by: '', trouble }))
  }
  return profiles.map(({ Name, On, Open }) => {
    // One that has registered itself takes over from the one that Windows brings.
    if (!On && other !== undefined) return { name: Name, isOn: true, by: other }
    return { name: Name, isOn: On && !Open, by: On ? 'Windows' : '' }
  })
}

function volumesOf({ volumes }: FoundProtection): GuardedVolume[] {
  if (volumes === null) return [{ name: 'C:', isEncrypted: null, trouble: 'whether it is encrypted could not be read' }]
  // ProtectionStatus: 0 off, 1 on, 2 not known, as of one that is locked.
  return volumes.map(({ Name, Status }) => ({ name: Name, isEncrypted: Status === 2 ? null : Status === 1 }))
}

/** The leap indicator comes first, a number before words of the language; 3: not synchronised (RFC 5905, 7.3). */
function clockOf({ time }: FoundProtection): Protection['clock'] {
  if (time === null) return { isSynchronised: false, because: 'no-service' }
  const leap = /:\s*([0-3])\b/.exec(time)?.[1]
  if (leap === undefined) return { isSynchronised: null, trouble: 'w32tm does not say whether it is synchronised' }
  return leap === '3' ? { isSynchronised: false, because: 'no-server' } : { isSynchronised: true }
}

export const parseProtection = (found: FoundProtection): Protection => ({
  scanners: scannersOf(found),
  firewalls: firewallsOf(found),
  volumes: volumesOf(found),
  clock: clockOf(found),
})

/** To begin PowerShell costs more than what is asked of it. */
const every: Millis = 15 * minute

export function protection(): Collect {
  let last: { at: Millis; protection: Protection } | null = null
  return {
    name: 'protection',
    async collect() {
      if (!last || steady() - last.at >= every)
        last = { at: steady(), protection: parseProtection(await told(protectionScript, nothing, 120_000)) }
      return { facts: { protection: last.protection } }
    },
  }
}
