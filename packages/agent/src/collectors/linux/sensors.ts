import { existsSync, readdirSync, readFileSync, realpathSync } from 'node:fs'
import { join } from 'node:path'
import type { Reading, Sensor } from '#core'

/** What no machine that still runs has: inputs that nothing is connected to read so. */
const [coldest, hottest] = [-40, 126]

function numberIn(path: string): number | null {
  try {
    const text = readFileSync(path, 'utf8').trim()
    return /^-?\d+$/.test(text) ? Number(text) : null
  } catch {
    // A sensor whose device sleeps refuses to be read.
    return null
  }
}
function textIn(path: string): string {
  try {
    return readFileSync(path, 'utf8').trim()
  } catch {
    return ''
  }
}
const entries = (path: string, form: RegExp) =>
  existsSync(path)
    ? readdirSync(path)
        .filter((name) => form.test(name))
        .sort((a, b) => Number(a.replace(/\D/g, '')) - Number(b.replace(/\D/g, '')))
    : []

interface Chip {
  name: string
  /** Of its device, the same after each start of the machine. */
  path: string
  /** In °C. */
  temperature: number
  critical: number | null
}

/** Documentation/hwmon/sysfs-interface.rst of the kernel: temperatures in thousandths of a degree Celsius. */
function monitored(root: string): Chip[] {
  const folder = join(root, 'sys/class/hwmon')
  return entries(folder, /^hwmon\d+$/).flatMap((entry): Chip[] => {
    const chip = join(folder, entry)
    const seen = entries(chip, /^temp\d+_input$/).flatMap((input) => {
      const at = (what: string) => numberIn(join(chip, input.replace('input', what)))
      const [value, critical] = [at('input'), at('crit')]
      if (value === null || at('fault') === 1 || value / 1000 <= coldest || value / 1000 >= hottest) return []
      const isSaid = critical !== null && critical > 0 && critical / 1000 < hottest
      return [{ temperature: value / 1000, critical: isSaid ? critical / 1000 : null }]
    })
    const [hot] = seen.sort((a, b) => b.temperature - a.temperature)
    const device = join(chip, 'device')
    const path = existsSync(device) ? realpathSync(device) : chip
    return hot ? [{ name: textIn(join(chip, 'name')) || entry, path, ...hot }] : []
  })
}

/** Documentation/driver-api/thermal/sysfs-api.rst of the kernel; for machines that have nothing better. */
function zones(root: string): Chip[] {
  const folder = join(root, 'sys/class/thermal')
  return entries(folder, /^thermal_zone\d+$/).flatMap((entry): Chip[] => {
    const value = numberIn(join(folder, entry, 'temp'))
    if (value === null || value / 1000 <= coldest || value / 1000 >= hottest) return []
    const path = join(folder, entry)
    return [{ name: textIn(join(path, 'type')) || entry, path, temperature: value / 1000, critical: null }]
  })
}

/** Of a machine with more, the others are not told. */
const mostSensors = 32

/** The hottest place of each chip that tells; a second chip of a name has a number behind it. */
export function temperatures(root = '/'): { readings: Reading[]; sensors: Sensor[] } {
  const chips = monitored(root)
  const told = chips.length ? chips : zones(root)
  const times = new Map<string, number>()
  told.sort((a, b) => (a.path < b.path ? -1 : 1))
  const named = told.slice(0, mostSensors).map((chip) => {
    const number = (times.get(chip.name) ?? 0) + 1
    times.set(chip.name, number)
    return { ...chip, name: number === 1 ? chip.name : `${chip.name} ${number}` }
  })
  return {
    readings: named.map(({ name, temperature }): Reading => ['temperature', name, temperature]),
    sensors: named.map(({ name, critical }) => ({ name, ...(critical === null ? {} : { critical }) })),
  }
}
