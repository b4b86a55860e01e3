import {
  deviceKinds,
  isGroup,
  osFamilies,
  targetFacts,
  type DeviceKind,
  type OsFamily,
  type Target,
  type TargetFact,
} from '../../estate'
import type { Values } from '../../watch'
import type { WatchSpec } from '../template'
import { everything, parameterOf, readValue, type References } from './form'

/** A way into the document. */
export type Path = readonly (string | number)[]
export interface DocumentFault {
  at: Path
  message: string
}

export type Fields = Record<string, unknown>
const isFields = (value: unknown): value is Fields =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

/** Reads the parts of a document and notes what does not fit, each with the way to it. */
export class Reader {
  readonly faults: DocumentFault[] = []
  constructor(readonly refs: References) {}

  fault(at: Path, message: string): void {
    this.faults.push({ at, message })
  }
  fields(value: unknown, at: Path, what: string): Fields {
    if (isFields(value)) return value
    this.fault(at, `${what} is written as fields: name and value, one a line.`)
    return {}
  }
  list(value: unknown, at: Path): unknown[] {
    if (value === undefined || value === null) return []
    if (Array.isArray(value)) return value
    this.fault(at, 'A list stands here: lines that begin with a hyphen.')
    return []
  }
  text(fields: Fields, name: string, at: Path, fallback: string | null = null): string {
    const value = fields[name]
    if (typeof value === 'string') return value
    if (value === undefined && fallback !== null) return fallback
    this.fault(
      value === undefined ? at : [...at, name],
      value === undefined ? `“${name}” is missing.` : `“${name}” needs a text.`,
    )
    return ''
  }
  only(fields: Fields, known: readonly string[], at: Path): void {
    for (const name of Object.keys(fields))
      if (!known.includes(name))
        this.fault([...at, name], `“${name}” means nothing here. Known are ${known.join(', ')}.`)
  }
  flag(fields: Fields, name: string, at: Path): boolean {
    const value = fields[name] ?? false
    if (typeof value === 'boolean') return value
    this.fault([...at, name], `“${name}” is true or false.`)
    return false
  }
  known(value: string, of: readonly string[], at: Path, what: string): void {
    if (!of.includes(value)) this.fault(at, `“${String(value)}” is no ${what}. Known are ${of.join(', ')}.`)
  }
  day(fields: Fields, name: string, at: Path): number | null {
    const value = fields[name]
    if (value === undefined || value === null) return null
    const time = typeof value === 'string' && /^\d{4}-\d\d-\d\d$/.test(value) ? Date.parse(`${value}T00:00:00Z`) : NaN
    if (!Number.isNaN(time)) return time
    this.fault([...at, name], 'A day is written like 2027-01-31.')
    return null
  }
  number(found: number | null, at: Path, what: string, text: unknown): number {
    if (found === null) this.fault(at, `There is no ${what} “${String(text)}”.`)
    return found ?? 0
  }

  target(value: unknown, at: Path): Target {
    if (value === everything) return { on: 'everyone' }
    const entries = isFields(value) ? Object.entries(value) : []
    const [entry] = entries
    if (!entry || entries.length > 1) {
      this.fault(
        at,
        'A target is one condition, like “role: web”, or a group: “all:”, “any:” or “except:” with a list of conditions.',
      )
      return { on: 'any', of: [] }
    }
    const [on, of] = entry
    const here = [...at, on]
    const text = typeof of === 'string' || typeof of === 'number' ? String(of) : ''
    switch (on) {
      case 'all':
      case 'any':
      case 'except':
        return { on, of: this.list(of, here).map((node, i) => this.target(node, [...here, i])) }
      case 'kind':
        return { on: 'kind', kind: text as DeviceKind }
      case 'os':
        return { on: 'os', osFamily: text as OsFamily }
      case 'system':
        return { on: 'osName', pattern: text }
      case 'role':
        return { on: 'role', role: text }
      case 'client':
        return { on: 'client', clientId: this.number(this.refs.clientOf(text), here, 'client', of) }
      case 'site':
        return { on: 'site', siteId: this.number(this.refs.siteOf(text), here, 'site', of) }
      case 'network':
        return { on: 'network', network: text }
      case 'tag':
        return { on: 'tag', tag: text }
      case 'name':
        return { on: 'name', pattern: text }
      case 'devices':
        return {
          on: 'devices',
          deviceIds: this.list(of, here).map((node, i) =>
            this.number(this.refs.deviceOf(String(node)), [...here, i], 'device', node),
          ),
        }
      default:
        if (targetFacts.some((fact) => fact === on)) return { on: 'fact', fact: on as TargetFact, pattern: text }
        this.fault(
          here,
          `“${on}” is no condition. Known are kind, os, system, role, client, site, network, tag, name, devices, ${targetFacts.join(', ')}, and the groups all, any, except.`,
        )
        return { on: 'everyone' }
    }
  }
  values(value: unknown, kind: string, at: Path): Values {
    return Object.fromEntries(
      Object.entries(value === undefined ? {} : this.fields(value, at, 'What is set')).map(([name, node]) => [
        name,
        readValue(parameterOf(kind, name), node),
      ]),
    )
  }
  watch(key: string, value: unknown, at: Path): WatchSpec {
    const { kind: _kind, name: _name, why: _why, only, ...values } = this.fields(value, at, 'A watch')
    if (!isFields(value)) return { key, kind: '', name: '', why: '', osFamilies: [], values: {} }
    const kind = this.text(value, 'kind', at)
    const systems = this.list(only, [...at, 'only']) as OsFamily[]
    systems.forEach((node, i) => {
      this.known(node, osFamilies, [...at, 'only', i], 'OS family')
    })
    return {
      key,
      kind,
      name: this.text(value, 'name', at),
      why: this.text(value, 'why', at, ''),
      osFamilies: systems,
      values: this.values(values, kind, at),
    }
  }
}

/** Kinds and systems that do not exist, however deep they stand. */
export function kindFaults(target: Target, at: Path, reader: Reader): void {
  if (isGroup(target))
    target.of.forEach((part, i) => {
      kindFaults(part, [...at, target.on, i], reader)
    })
  else if (target.on === 'kind') reader.known(target.kind, deviceKinds, [...at, 'kind'], 'kind')
  else if (target.on === 'os') reader.known(target.osFamily, osFamilies, [...at, 'os'], 'OS family')
}
