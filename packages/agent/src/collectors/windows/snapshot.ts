import {
  levelOfWindowsEvent,
  second,
  withoutSecrets,
  type Drive,
  type DriveMedia,
  type LogChannel,
  type LogEvent,
  type Service,
  type ServiceStart,
  type ServiceState,
} from '#core'
import { quoted, told } from '../../powershell/powershell'
import type { ProcessDetails } from '../processes/chosen'
import { plainName, type SeenProcess } from '../processes/use'
import { parseEventXml } from './eventXml'

/** What one run of PowerShell tells. Names of properties are those of the classes that they come from. */
export interface Snapshot {
  /** Win32_Service of CIM. */
  services: {
    Name: string
    DisplayName: string | null
    State: string
    StartMode: string
    DelayedAutoStart: boolean | null
    /** Its account; null or empty for the system's own drivers. */
    StartName: string | null
    /** 0 while it runs and where it ended well, 1077 where it was not started since the machine was. */
    ExitCode: number
    /** Of the process it runs in, with others maybe; 0: none. */
    ProcessId: number
  }[]
  /** Names of services that start on a trigger. */
  triggered: string[]
  /** Get-WinEvent; the time in ISO 8601. */
  events: {
    LogName: string
    ProviderName: string
    Id: number
    Level: number
    Time: string
    Message: string | null
    RecordId: number
    /** As its own XML; null where it could not be made. */
    Xml?: string | null
  }[]
  /** Win32_LogicalDisk of CIM; DriveType 2 removable, 3 fixed. */
  disks: { DeviceID: string; FileSystem: string | null; DriveType: number }[]
  /** Get-NetAdapterStatistics. */
  adapters: {
    Name: string
    ReceivedBytes: number
    SentBytes: number
    ReceivedPacketErrors: number
    ReceivedDiscardedPackets: number
    OutboundPacketErrors: number
    OutboundDiscardedPackets: number
  }[]
  /** Get-NetAdapter: bits a second, and whether both ways at once. */
  speeds?: {
    Name: string
    ReceiveLinkSpeed: number | null
    TransmitLinkSpeed: number | null
    FullDuplex: boolean | null
  }[]
  /**
   * Win32_PerfRawData_PerfDisk_PhysicalDisk, sums since the start: bytes; units of 100 ns without work, and passed;
   * time that transfers took in parts of a second given by the frequency, and how many there were; what it has to do
   * now.
   */
  diskUse?: {
    Name: string
    DiskReadBytesPersec: number
    DiskWriteBytesPersec: number
    PercentIdleTime: number
    Timestamp_Sys100NS: number
    AvgDisksecPerTransfer: number
    AvgDisksecPerTransfer_Base: number
    Frequency_PerfTime: number
    CurrentDiskQueueLength: number
  }[]
  /** MSAcpi_ThermalZoneTemperature: tenths of a kelvin. */
  zones?: { InstanceName: string; CurrentTemperature: number; CriticalTripPoint: number | null }[]
  /** Get-NetRoute: routes to everywhere, by IPv4 or IPv6. */
  routes: { NextHop: string; Metric: number }[]
  tcp: number[]
  udp: number[]
  /** Win32_PerfRawData_PerfOS_Memory: pages since the start. */
  paging: { PagesInputPersec: number; PagesOutputPersec: number } | null
  /**
   * Win32_Process of CIM: times in units of 100 ns, memory in bytes (of `PrivatePageCount`, in spite of its name, from
   * memory); when it began as its FILETIME.
   */
  processes: {
    ProcessId: number
    ParentProcessId: number
    Name: string
    KernelModeTime: number
    UserModeTime: number
    WorkingSetSize: number
    PrivatePageCount: number
    Began: number | null
    /** Null for what belongs to the system itself. */
    ExecutablePath?: string | null
    CommandLine?: string | null
  }[]
}
/** What changes seldom and costs more. */
export interface Inventory {
  logs: string[]
  packages: string[]
  /** Services that need others, by the registry's `DependOnService`. */
  needs: { Name: string; DependOnService: string | string[] }[]
  /** Get-PhysicalDisk: media HDD, SSD, SCM or Unspecified; health Healthy, Warning, Unhealthy or Unknown. */
  drives: {
    DeviceId: string
    FriendlyName: string | null
    SerialNumber: string | null
    Media: string
    Health: string
  }[]
  /** Get-StorageReliabilityCounter: wear in percent; what a drive does not count is null, or 0. */
  wear: { DeviceId: string; Wear: number | null; ReadErrorsUncorrected: number | null }[]
}

const asJson = `[Console]::OutputEncoding = New-Object Text.UTF8Encoding $false; $ErrorActionPreference = 'SilentlyContinue'; `

const servicesQuery = `Get-CimInstance Win32_Service | Select-Object 'Name', 'DisplayName', 'State', 'StartMode', 'DelayedAutoStart', 'StartName', 'ExitCode', 'ProcessId'`

/**
 * @param read log → number of the last record that was read, or null: it was never read, and only its newest are wanted
 */
export function snapshotScript(read: Readonly<Record<string, number | null>>): string {
  const events = Object.entries(read)
    .map(([log, last]) =>
      last === null
        ? `Get-WinEvent -LogName ${quoted(log)} -MaxEvents 20`
        : `Get-WinEvent -LogName ${quoted(log)} -FilterXPath '*[System[EventRecordID>${last}]]' -MaxEvents 200 -Oldest`,
    )
    .join('; ')
  return `${asJson}@{
services = @(${servicesQuery})
triggered = @(Get-ChildItem HKLM:\\SYSTEM\\CurrentControlSet\\Services\\*\\TriggerInfo | ForEach-Object { Split-Path -Leaf (Split-Path -Parent $_.Name) } | Sort-Object -Unique)
events = @(${events ? `& { ${events} } | Select-Object 'LogName', 'ProviderName', 'Id', 'Level', @{ n = 'Time'; e = { $_.TimeCreated.ToUniversalTime().ToString('o') } }, 'Message', 'RecordId', @{ n = 'Xml'; e = { $_.ToXml() } }` : ''})
disks = @(Get-CimInstance Win32_LogicalDisk | Select-Object 'DeviceID', 'FileSystem', 'DriveType')
adapters = @(Get-NetAdapterStatistics | Select-Object 'Name', 'ReceivedBytes', 'SentBytes', 'ReceivedPacketErrors', 'ReceivedDiscardedPackets', 'OutboundPacketErrors', 'OutboundDiscardedPackets')
speeds = @(Get-NetAdapter | Select-Object 'Name', 'ReceiveLinkSpeed', 'TransmitLinkSpeed', 'FullDuplex')
diskUse = @(Get-CimInstance Win32_PerfRawData_PerfDisk_PhysicalDisk | Where-Object Name -NE '_Total' | Select-Object 'Name', 'DiskReadBytesPersec', 'DiskWriteBytesPersec', 'PercentIdleTime', 'Timestamp_Sys100NS', 'AvgDisksecPerTransfer', 'AvgDisksecPerTransfer_Base', 'Frequency_PerfTime', 'CurrentDiskQueueLength')
zones = @(Get-CimInstance -Namespace 'root/wmi' MSAcpi_ThermalZoneTemperature | Select-Object 'InstanceName', 'CurrentTemperature', 'CriticalTripPoint')
routes = @(Get-NetRoute -DestinationPrefix '0.0.0.0/0', '::/0' | Select-Object 'NextHop', @{ n = 'Metric'; e = { $_.RouteMetric + $_.InterfaceMetric } })
tcp = @(Get-NetTCPConnection -State Listen | Where-Object { $_.LocalAddress -notmatch '^(127\\.|::1$)' } | Select-Object -ExpandProperty LocalPort -Unique)
udp = @(Get-NetUDPEndpoint | Where-Object { $_.LocalAddress -notmatch '^(127\\.|::1$)' -and $_.LocalPort -lt 32768 } | Select-Object -ExpandProperty LocalPort -Unique)
paging = Get-CimInstance Win32_PerfRawData_PerfOS_Memory | Select-Object 'PagesInputPersec', 'PagesOutputPersec'
processes = @(Get-CimInstance Win32_Process | Select-Object 'ProcessId', 'ParentProcessId', 'Name', 'KernelModeTime', 'UserModeTime', 'WorkingSetSize', 'PrivatePageCount', 'ExecutablePath', 'CommandLine', @{ n = 'Began'; e = { $_.CreationDate.ToFileTimeUtc() } })
} | ConvertTo-Json -Compress -Depth 4`
}

export const inventoryScript = `${asJson}@{
logs = @(Get-WinEvent -ListLog * | Where-Object { $_.RecordCount -gt 0 } | Select-Object -ExpandProperty LogName -First 300)
packages = @(Get-ItemProperty 'HKLM:\\SOFTWARE\\Microsoft\\Windows\\CurrentVersion\\Uninstall\\*', 'HKLM:\\SOFTWARE\\WOW6432Node\\Microsoft\\Windows\\CurrentVersion\\Uninstall\\*' | Where-Object DisplayName | Select-Object -ExpandProperty DisplayName -Unique)
needs = @(Get-ItemProperty 'HKLM:\\SYSTEM\\CurrentControlSet\\Services\\*' | Where-Object DependOnService | Select-Object @{ n = 'Name'; e = { $_.PSChildName } }, @{ n = 'DependOnService'; e = { @($_.DependOnService) } })
drives = @(Get-PhysicalDisk | Select-Object 'DeviceId', 'FriendlyName', 'SerialNumber', @{ n = 'Media'; e = { [string]$_.MediaType } }, @{ n = 'Health'; e = { [string]$_.HealthStatus } })
wear = @(Get-PhysicalDisk | Get-StorageReliabilityCounter | Select-Object 'DeviceId', 'Wear', 'ReadErrorsUncorrected')
} | ConvertTo-Json -Compress -Depth 3`

function startOf({ StartMode, DelayedAutoStart }: Snapshot['services'][number], triggered: boolean): ServiceStart {
  switch (StartMode) {
    // Started by a trigger, "automatic and stopped" is its normal state.
    case 'Auto':
      return triggered ? 'on-demand' : DelayedAutoStart ? 'late' : 'automatic'
    case 'Manual':
      return triggered ? 'on-demand' : 'manual'
    case 'Disabled':
      return 'disabled'
    default:
      return 'on-demand'
  }
}

/** ERROR_SERVICE_NEVER_STARTED of the system error codes, from memory. */
const neverStarted = 1077

function stateOf({ State, ExitCode }: Snapshot['services'][number]): ServiceState {
  if (State === 'Running' || State === 'Paused') return 'running'
  if (/Start Pending|Continue Pending/.test(State)) return 'starting'
  return State === 'Stopped' && ExitCode !== 0 && ExitCode !== neverStarted ? 'failed' : 'stopped'
}

/** From 1601 to 1970, in milliseconds: a FILETIME counts from then in units of 100 ns. */
export const fileTimeEpoch = 11_644_473_600_000

function neededBy(needs: Inventory['needs']): Map<string, string[]> {
  const found = new Map<string, string[]>()
  for (const { Name, DependOnService } of needs)
    // PowerShell makes a list of one into that one.
    for (const other of [DependOnService].flat()) {
      const key = other.toLowerCase()
      found.set(key, [...(found.get(key) ?? []), Name])
    }
  return found
}

/**
 * Services as Win32_Service tells them: StartMode Boot, System, Auto, Manual, Disabled; State Stopped, Start Pending,
 * Running and so on. What runs is so since its process began.
 */
export function servicesOf(
  snapshot: Pick<Snapshot, 'services' | 'triggered'> & Partial<Pick<Snapshot, 'processes'>>,
  needs: Inventory['needs'] = [],
): Service[] {
  const triggered = new Set(snapshot.triggered.map((name) => name.toLowerCase()))
  const began = beganOf(snapshot.processes ?? [])
  const needing = neededBy(needs)
  return snapshot.services
    .map((service): Service => {
      const state = stateOf(service)
      const since = state === 'running' ? began.get(service.ProcessId) : undefined
      const needed = needing.get(service.Name.toLowerCase())
      return {
        name: service.Name,
        title: service.DisplayName ?? '',
        start: startOf(service, triggered.has(service.Name.toLowerCase())),
        state,
        ...(service.StartName ? { account: service.StartName } : {}),
        ...(since === undefined ? {} : { since: Math.round((since / 10_000 - fileTimeEpoch) / second) * second }),
        ...(needed ? { neededBy: needed } : {}),
      }
    })
    .sort((a, b) => (a.name < b.name ? -1 : 1))
}

function beganOf(processes: Snapshot['processes']): Map<number, number> {
  return new Map(processes.flatMap(({ ProcessId, Began }) => (ProcessId && Began ? [[ProcessId, Began] as const] : [])))
}

/**
 * By each service that is set to start the process that it runs in, and when that began; empty where there is none. The
 * others come and go.
 */
export function runsOf({
  services,
  triggered,
  processes,
}: Pick<Snapshot, 'services' | 'triggered' | 'processes'>): Map<string, string> {
  const began = beganOf(processes)
  const onTrigger = new Set(triggered.map((name) => name.toLowerCase()))
  return new Map(
    services
      .filter((service) => startOf(service, onTrigger.has(service.Name.toLowerCase())) === 'automatic')
      .map(({ Name, ProcessId }) => [Name, began.has(ProcessId) ? `${ProcessId} ${began.get(ProcessId)!}` : '']),
  )
}

/** A service that runs in another process than before, or in one that has begun since, was started. */
export const startsBetween = (before: string, now: string): number => (now !== '' && now !== before ? 1 : 0)

/** The idle process of number 0 is none: what it uses is what nobody does. */
export function processesOf({ processes }: Pick<Snapshot, 'processes'>): SeenProcess[] {
  return processes
    .filter(({ ProcessId }) => ProcessId !== 0)
    .map((one) => ({
      pid: one.ProcessId,
      parent: one.ParentProcessId,
      name: plainName(one.Name),
      called: one.Name,
      started: one.Began ?? 0,
      own: one.KernelModeTime + one.UserModeTime,
      // What ended is not told of here.
      ended: 0,
      resident: one.WorkingSetSize,
    }))
}

/**
 * The file that a process runs, and its command line. Whose it is costs a call for each, so it is not told. Secrets are
 * found in a command line as it was written: where a quoted text holds spaces, as well as that goes.
 */
export function processDetails({ processes }: Pick<Snapshot, 'processes'>): ProcessDetails {
  const byNumber = new Map(processes.map((one) => [one.ProcessId, one]))
  const lineOf = ({ pid }: SeenProcess) => (byNumber.get(pid)?.CommandLine ?? '').slice(0, 8192)
  return {
    path: ({ pid }) => byNumber.get(pid)?.ExecutablePath ?? '',
    arguments: lineOf,
    shown: (process) => withoutSecrets(lineOf(process).match(/"[^"]*"|\S+/g) ?? []),
  }
}

/**
 * Routers of the routes to everywhere that are taken: of each family those with the lowest metric, which is the sum of
 * that of the route and of its interface. Next hops 0.0.0.0 and :: are none, and those of the link alone tell nothing.
 */
export function gatewaysOf({ routes }: Pick<Snapshot, 'routes'>): string[] {
  return [false, true].flatMap((isIpv6) => {
    const family = routes.filter(({ NextHop }) => NextHop.includes(':') === isIpv6)
    const best = Math.min(...family.map(({ Metric }) => Metric))
    return [
      ...new Set(family.filter(({ Metric }) => Metric === best).map(({ NextHop }) => NextHop.toLowerCase())),
    ].filter((address) => address !== '0.0.0.0' && address !== '::' && !/^fe[89ab]/.test(address))
  })
}

export const servicesScript = `${asJson}@{ services = @(${servicesQuery}) } | ConvertTo-Json -Compress -Depth 4`

/** The services of this machine as they are now. */
export async function windowsServices(): Promise<Service[]> {
  return servicesOf(
    await told<Pick<Snapshot, 'services' | 'triggered'>>(servicesScript, { services: [], triggered: [] }),
  )
}

const cut = (text: string) => (text.length > 2000 ? `${text.slice(0, 1999)}…` : text)

/** By its XML, which says more; by what Get-WinEvent makes of it where there is none, or it is of another form. */
function eventOf(event: Snapshot['events'][number]): LogEvent | null {
  const told = event.Xml ? parseEventXml(event.Xml, event.Message) : null
  const at = told?.at ?? Date.parse(event.Time)
  if (!Number.isFinite(at)) return null
  return {
    at,
    channel: event.LogName,
    source: told?.source ?? event.ProviderName,
    id: told ? told.id : event.Id,
    level: told?.level ?? levelOfWindowsEvent(event.Level),
    text: cut((told?.text ?? event.Message ?? '').replace(/\s*\r?\n\s*/g, ' ').trim()),
    ...(told?.fields ? { fields: told.fields } : {}),
  }
}

export function eventsOf(snapshot: Snapshot): LogEvent[] {
  return snapshot.events
    .map(eventOf)
    .filter((event) => event !== null)
    .sort((a, b) => a.at - b.at)
}

/** Number of the last record read of each log, with what was read before. */
export function recordsOf(
  snapshot: Snapshot,
  before: Readonly<Record<string, number | null>>,
): Record<string, number | null> {
  const last = { ...before }
  for (const { LogName, RecordId } of snapshot.events) last[LogName] = Math.max(last[LogName] ?? 0, RecordId)
  return last
}

export function channelsOf(logs: readonly string[], read: readonly string[]): LogChannel[] {
  return logs.map((name) => ({ name, collected: read.includes(name) }))
}

const verdicts: Readonly<Record<string, boolean>> = { Healthy: true, Warning: false, Unhealthy: false }
const mostWorn = 2.55
const mediaNames: Readonly<Record<string, DriveMedia>> = { HDD: 'hdd', SSD: 'ssd', SCM: 'ssd' }

/** Drives by their own verdict, and by how much of what they endure is used up. */
export function drivesOf({ drives, wear }: Inventory): Drive[] {
  return drives.map(({ DeviceId, FriendlyName, SerialNumber, Media, Health }): Drive => {
    const counted = wear.find((each) => each.DeviceId === DeviceId)
    const media = mediaNames[Media] ?? 'unknown'
    return {
      name: `PhysicalDrive${DeviceId}`,
      model: FriendlyName?.trim() ?? '',
      ...(SerialNumber ? { serial: SerialNumber.trim() } : {}),
      media,
      passed: verdicts[Health] ?? null,
      // A disk that turns counts no wear, and says 0.
      ...(typeof counted?.Wear === 'number' && media === 'ssd'
        ? { worn: Math.min(mostWorn, Math.max(0, counted.Wear / 100)) }
        : {}),
      ...(typeof counted?.ReadErrorsUncorrected === 'number'
        ? { uncorrectable: Math.min(Number.MAX_SAFE_INTEGER, counted.ReadErrorsUncorrected) }
        : {}),
    }
  })
}
