import { parse } from 'csv-parse/sync'
import { isIP } from 'node:net'
import type { MachinesRead, MachineToReach } from '#contract'

/**
 * Machines from CSV (RFC 4180): a column of addresses and, if there is one, a column of names. With a header line the
 * columns may come in any order; without, the one that holds an address is it. Bad lines are told by their number,
 * good ones kept.
 */
export function readMachines(csv: string): MachinesRead {
  const faults: MachinesRead['faults'] = []
  let records: { record: string[]; info: { lines: number } }[]
  try {
    records = parse(csv, {
      bom: true,
      relax_column_count: true,
      skip_empty_lines: true,
      trim: true,
      info: true,
    }) as unknown as typeof records
  } catch (error) {
    const { message, lines } = error as Error & { lines?: number }
    return { machines: [], faults: [{ line: lines ?? 1, message: `This is no CSV (RFC 4180): ${message}` }] }
  }
  const head = records[0]?.record.map((cell) => cell.toLowerCase()) ?? []
  const hasHead = head.some((cell) => ['address', 'ip', 'name', 'host'].includes(cell))
  const column = (...names: string[]) => head.findIndex((cell) => names.includes(cell))
  const machines = new Map<string, MachineToReach>()
  for (const { record, info } of hasHead ? records.slice(1) : records) {
    const at = hasHead ? column('address', 'ip') : record.findIndex((cell) => isIP(cell))
    const address = record[at] ?? ''
    const name = (hasHead ? record[column('name', 'host')] : record.find((cell, i) => i !== at && cell !== '')) || null
    if (!isIP(address))
      faults.push({
        line: info.lines,
        message: address ? `“${address}” is no address.` : 'There is no address on this line.',
      })
    else if (name !== null && !/^[\w][\w .-]{0,62}$/.test(name))
      faults.push({ line: info.lines, message: `“${name}” is no name: letters, digits, dots, spaces and hyphens.` })
    else if (machines.has(address)) faults.push({ line: info.lines, message: `${address} is there already.` })
    else machines.set(address, { address, name })
  }
  return { machines: [...machines.values()], faults }
}
