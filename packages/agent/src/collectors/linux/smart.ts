import type { Drive, DriveMedia, DriveWarning } from '#core'
import { driveWarnings } from '#core'

interface Attribute {
  id: number
  name: string
  value: number
  raw: { value: number }
}
/**
 * What smartctl(8) of smartmontools 7 writes with `--json`. Its numbers are those of ATA/ATAPI Command Set, NVM Express
 * Base Specification and SCSI Primary Commands; what a drive does not tell is absent.
 */
interface SmartJson {
  smartctl?: { exit_status?: number; messages?: { string: string; severity: string }[] }
  devices?: { name: string; type?: string }[]
  model_name?: string
  scsi_model_name?: string
  serial_number?: string
  rotation_rate?: number
  device?: { protocol?: string }
  smart_status?: { passed?: boolean }
  ata_smart_attributes?: { table?: Attribute[] }
  nvme_smart_health_information_log?: {
    critical_warning?: number
    available_spare?: number
    available_spare_threshold?: number
    percentage_used?: number
    media_errors?: number
  }
  endurance_used?: { current_percent?: number }
  scsi_percentage_used_endurance_indicator?: number
  scsi_grown_defect_list?: number
  scsi_error_counter_log?: Partial<Record<'read' | 'write' | 'verify', { total_uncorrected_errors?: number }>>
}

function parsed(output: string): SmartJson {
  try {
    return JSON.parse(output) as SmartJson
  } catch {
    throw new Error('smartctl did not answer in JSON; version 7.0 or later is needed')
  }
}

/** Drives that `smartctl --scan` finds, by the name and the kind that it is to be asked with. */
export function parseScan(output: string): { path: string; type: string | null }[] {
  return (parsed(output).devices ?? []).map(({ name, type }) => ({ path: name, type: type ?? null }))
}

/** As the system calls it, and of several behind one controller which. */
export function nameOf(path: string, type: string | null): string {
  const name = path.replace(/^\/dev\//, '')
  return type?.includes(',') ? `${name} ${type}` : name
}

/** Reallocated_Sector_Ct, Current_Pending_Sector, Offline_Uncorrectable; names of makers for what is left of an SSD. */
const [reallocatedId, pendingId, uncorrectableId] = [5, 197, 198]
const lifeLeft =
  /^(SSD_Life_Left|Media_Wearout_Indicator|Percent_Lifetime_Remain|Remaining_Lifetime_Perc|Wear_Leveling_Count)$/

/** The bit that smartctl sets for a drive that it could not open, or that sleeps (smartctl(8)). */
const notOpened = 2
/** Another than those that say how well the drive is: it could not be asked. */
const notAsked = 1 | notOpened

function defined<T extends object>(entries: T): { [K in keyof T]?: Exclude<T[K], undefined> } {
  return Object.fromEntries(Object.entries(entries).filter(([, value]) => value !== undefined)) as never
}

/** NVM Express tells wear up to 255 %. */
const mostWorn = 2.55

/** Per cent as a share, within what such a share can be. */
function percent(value: number | undefined, most = 1): number | undefined {
  return value === undefined ? undefined : Math.min(most, Math.max(0, value / 100))
}
/** As far as it is counted exactly. */
const counted = (value: number | undefined) =>
  value === undefined ? undefined : Math.min(Number.MAX_SAFE_INTEGER, Math.max(0, Math.trunc(value)))

function mediaOf({ rotation_rate: rate, nvme_smart_health_information_log: nvme }: SmartJson): DriveMedia {
  if (nvme || rate === 0) return 'ssd'
  return rate === undefined ? 'unknown' : 'hdd'
}

/** Critical Warning: a bit for each, in the order of `driveWarnings`. */
function warningsOf(bits: number): DriveWarning[] {
  return driveWarnings.filter((_, bit) => (bits >> bit) & 1)
}

/**
 * A drive by `smartctl --json -i -H -A -n standby`.
 * @returns null: it sleeps, and was not woken
 * @throws Error where the answer is no JSON
 */
export function parseDrive(name: string, output: string): Drive | null {
  const found = parsed(output)
  const status = found.smartctl?.exit_status ?? 0
  const messages = found.smartctl?.messages ?? []
  if (status & notOpened && messages.some(({ string }) => /STANDBY|SLEEP/.test(string))) return null
  const drive = {
    name,
    model: String(found.model_name ?? found.scsi_model_name ?? ''),
    ...(found.serial_number === undefined ? {} : { serial: String(found.serial_number) }),
    media: mediaOf(found),
  }
  const error = messages.find(({ severity }) => severity === 'error')?.string
  if (status & notAsked) return { ...drive, passed: null, trouble: error ?? `smartctl ended with status ${status}` }
  const attributes = new Map((found.ata_smart_attributes?.table ?? []).map((each) => [each.id, each]))
  const raw = (id: number) => attributes.get(id)?.raw.value
  const left = [...attributes.values()].find((each) => lifeLeft.test(each.name))?.value
  const nvme = found.nvme_smart_health_information_log
  const counters = Object.values(found.scsi_error_counter_log ?? {})
  const worn =
    found.endurance_used?.current_percent ?? nvme?.percentage_used ?? found.scsi_percentage_used_endurance_indicator
  const warnings = warningsOf(nvme?.critical_warning ?? 0)
  return {
    ...drive,
    passed: found.smart_status?.passed ?? null,
    ...defined({
      reallocated: counted(raw(reallocatedId) ?? found.scsi_grown_defect_list),
      pending: counted(raw(pendingId)),
      uncorrectable: counted(
        raw(uncorrectableId) ??
          nvme?.media_errors ??
          (counters.length
            ? counters.reduce((sum, counter) => sum + (counter.total_uncorrected_errors ?? 0), 0)
            : undefined),
      ),
      worn: percent(worn ?? (left === undefined ? undefined : 100 - left), mostWorn),
      spare: percent(nvme?.available_spare),
      spareLeast: percent(nvme?.available_spare_threshold),
      warnings: warnings.length ? warnings : undefined,
    }),
  }
}
