import { isGroup, type DeviceKind, type OsFamily, type Target, type TargetFact, targetFacts } from '../estate'
import { bytesText, durationText, parseBytes, parseDuration } from '../text'
import { watchKinds, type Parameter, type ParameterValue, type Values } from '../watch'
import type { Policy } from './roster'
import type { PolicyStep } from './steps'
import type { AssignmentBody, ExceptionBody, Template, TemplateBody, WatchSpec } from './template'

/** How a document calls what has a number in the database: clients by code, sites and devices behind it, people by e-mail address. */
export interface References {
  client(id: number): string | null
  site(id: number): string | null
  device(id: number): string | null
  person(id: number): string | null
  clientOf(text: string): number | null
  siteOf(text: string): number | null
  deviceOf(text: string): number | null
  personOf(text: string): number | null
}

/** A way into the document. */
export type Path = readonly (string | number)[]
export interface DocumentFault { at: Path; message: string }
export interface FromDocument { steps: PolicyStep[]; /** Where in the document each step stands; null for what is not in it any more. */ places: (Path | null)[]; faults: DocumentFault[] }

const header = 'custode policy 1'
const dayText = (at: number) => new Date(at).toISOString().slice(0, 10)
const gone = (what: string, id: number) => `(a ${what} that is gone, ${id})`
const names = { default: 'everything' } as const

/** As people write it where that says exactly the same, else the plain number. */
function plainValue(parameter: Parameter | undefined, value: ParameterValue): unknown {
  if (typeof value !== 'number') return value
  if (parameter?.type === 'duration' && parseDuration(durationText(value)) === value) return durationText(value)
  if (parameter?.type === 'bytes' && parseBytes(bytesText(value)) === value) return bytesText(value)
  const percent = Number((value * 100).toFixed(6))
  return parameter?.type === 'percent' && percent / 100 === value ? `${percent} %` : value
}

function readValue(parameter: Parameter | undefined, value: unknown): ParameterValue {
  if (typeof value === 'string' && parameter) {
    if (parameter.type === 'duration') return parseDuration(value) ?? value
    if (parameter.type === 'bytes') return parseBytes(value) ?? value
    const percent = parameter.type === 'percent' ? /^\s*(\d+(?:\.\d+)?)\s*%\s*$/.exec(value) : null
    if (percent) return Number(percent[1]) / 100
  }
  return value as ParameterValue
}

const parameterOf = (kind: string, name: string) => watchKinds.get(kind)?.parameters.find((one) => one.name === name)
const plainValues = (kind: string, values: Values) => Object.fromEntries(Object.entries(values).sort(([a], [b]) => order(kind, a) - order(kind, b)).map(([name, value]) => [name, plainValue(parameterOf(kind, name), value)]))
const order = (kind: string, name: string) => {
  const at = watchKinds.get(kind)?.parameters.findIndex((one) => one.name === name) ?? -1
  return at < 0 ? 1000 : at
}
const filled = (fields: Record<string, unknown>) => Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined))

function plainTarget(target: Target, refs: References): unknown {
  if (isGroup(target)) return { [target.on]: target.of.map((one) => plainTarget(one, refs)) }
  switch (target.on) {
    case 'everyone': return names.default
    case 'kind': return { kind: target.kind }
    case 'os': return { os: target.osFamily }
    case 'osName': return { system: target.pattern }
    case 'role': return { role: target.role }
    case 'fact': return { [target.fact]: target.pattern }
    case 'client': return { client: refs.client(target.clientId) ?? gone('client', target.clientId) }
    case 'site': return { site: refs.site(target.siteId) ?? gone('site', target.siteId) }
    case 'network': return { network: target.network }
    case 'tag': return { tag: target.tag }
    case 'name': return { name: target.pattern }
    case 'devices': return { devices: target.deviceIds.map((id) => refs.device(id) ?? gone('device', id)).sort() }
  }
}

const asWatch = ({ kind, name, why, osFamilies, values }: WatchSpec) => filled({ kind, name, why: why || undefined, only: osFamilies.length ? osFamilies : undefined, ...plainValues(kind, values) })

/**
 * Policy as a plain document: templates by name, the rest in the order in which it was made, so that a change shows as a
 * change of a few lines. What is as it is by default is left out.
 * @param only these templates, with their assignments and the exceptions on their watches; null: everything
 */
export function toDocument(policy: Policy, refs: References, only: readonly number[] | null = null): unknown {
  const templates = policy.templates.filter((one) => only?.includes(one.id) ?? true).sort((a, b) => (a.name < b.name ? -1 : 1))
  const nameOf = (id: number) => policy.templates.find((one) => one.id === id)?.name ?? gone('template', id)
  const kindOf = (key: string) => policy.templates.flatMap((one) => one.watches).find((one) => one.key === key)?.kind ?? ''
  const keys = new Set(templates.flatMap((one) => one.watches.map((watch) => watch.key)))
  const byAge = <T extends { createdAt: number; id: number }>(list: readonly T[]) => [...list].sort((a, b) => a.createdAt - b.createdAt || a.id - b.id)
  return {
    format: header,
    covers: only === null ? names.default : templates.map((one) => one.name),
    templates: templates.map((one) => filled({ name: one.name, for: one.description || undefined, includes: one.includes.length ? one.includes.map(nameOf) : undefined, watches: Object.fromEntries(one.watches.map((watch) => [watch.key, asWatch(watch)])) })),
    assignments: byAge(policy.assignments).filter((one) => only?.includes(one.templateId) ?? true).map((one) => filled({
      template: nameOf(one.templateId), to: plainTarget(one.target, refs), rank: one.rank === 100 ? undefined : one.rank, dormant: one.dormant || undefined,
      values: Object.keys(one.values).length ? Object.fromEntries(Object.entries(one.values).sort().map(([key, values]) => [key, plainValues(kindOf(key), values)])) : undefined,
      why: one.reason || undefined, review: one.reviewAt === null ? undefined : dayText(one.reviewAt),
    })),
    exceptions: byAge(policy.exceptions).filter((one) => only === null || keys.has(one.watch)).map((one) => filled({
      watch: one.watch, for: plainTarget(one.target, refs), ...(one.leftOut ? { 'left out': true } : { values: plainValues(kindOf(one.watch), one.values) }),
      why: one.reason, owner: one.ownerId === null ? undefined : (refs.person(one.ownerId) ?? undefined), review: one.reviewAt === null ? undefined : dayText(one.reviewAt),
    })),
  }
}

type Fields = Record<string, unknown>
const isFields = (value: unknown): value is Fields => typeof value === 'object' && value !== null && !Array.isArray(value)

/** Reads the parts of a document and notes what does not fit, each with the way to it. */
class Reader {
  readonly faults: DocumentFault[] = []
  constructor(readonly refs: References) {}

  fault(at: Path, message: string): void { this.faults.push({ at, message }) }
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
    this.fault(value === undefined ? at : [...at, name], value === undefined ? `“${name}” is missing.` : `“${name}” needs a text.`)
    return ''
  }
  only(fields: Fields, known: readonly string[], at: Path): void {
    for (const name of Object.keys(fields)) if (!known.includes(name)) this.fault([...at, name], `“${name}” means nothing here. Known are ${known.join(', ')}.`)
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
    if (value === names.default) return { on: 'everyone' }
    const entries = isFields(value) ? Object.entries(value) : []
    const [entry] = entries
    if (!entry || entries.length > 1) {
      this.fault(at, 'A target is one condition, like “role: web”, or a group: “all:”, “any:” or “except:” with a list of conditions.')
      return { on: 'any', of: [] }
    }
    const [on, of] = entry
    const here = [...at, on]
    const text = typeof of === 'string' || typeof of === 'number' ? String(of) : ''
    switch (on) {
      case 'all': case 'any': case 'except': return { on, of: this.list(of, here).map((one, i) => this.target(one, [...here, i])) }
      case 'kind': return { on: 'kind', kind: text as DeviceKind }
      case 'os': return { on: 'os', osFamily: text as OsFamily }
      case 'system': return { on: 'osName', pattern: text }
      case 'role': return { on: 'role', role: text }
      case 'client': return { on: 'client', clientId: this.number(this.refs.clientOf(text), here, 'client', of) }
      case 'site': return { on: 'site', siteId: this.number(this.refs.siteOf(text), here, 'site', of) }
      case 'network': return { on: 'network', network: text }
      case 'tag': return { on: 'tag', tag: text }
      case 'name': return { on: 'name', pattern: text }
      case 'devices': return { on: 'devices', deviceIds: this.list(of, here).map((one, i) => this.number(this.refs.deviceOf(String(one)), [...here, i], 'device', one)) }
      default:
        if (targetFacts.some((fact) => fact === on)) return { on: 'fact', fact: on as TargetFact, pattern: text }
        this.fault(here, `“${on}” is no condition. Known are kind, os, system, role, client, site, network, tag, name, devices, ${targetFacts.join(', ')}, and the groups all, any, except.`)
        return { on: 'everyone' }
    }
  }
  values(value: unknown, kind: string, at: Path): Values {
    return Object.fromEntries(Object.entries(value === undefined ? {} : this.fields(value, at, 'What is set')).map(([name, one]) => [name, readValue(parameterOf(kind, name), one)]))
  }
  watch(key: string, value: unknown, at: Path): WatchSpec {
    const { kind: _kind, name: _name, why: _why, only, ...values } = this.fields(value, at, 'A watch')
    const fields = value as Fields
    const kind = isFields(value) ? this.text(fields, 'kind', at) : ''
    const osFamilies = this.list(only, [...at, 'only']).map(String) as OsFamily[]
    osFamilies.forEach((one, i) => { if (one !== 'linux' && one !== 'windows') this.fault([...at, 'only', i], `“${String(one)}” is no OS family. Known are linux and windows.`) })
    return { key, kind, name: isFields(value) ? this.text(fields, 'name', at) : '', why: isFields(value) ? this.text(fields, 'why', at, '') : '', osFamilies, values: this.values(values, kind, at) }
  }
}

const kinds: readonly string[] = ['server', 'workstation', 'network', 'power']
function kindFaults(target: Target, at: Path, reader: Reader): void {
  if (isGroup(target)) target.of.forEach((one, i) => { kindFaults(one, [...at, target.on, i], reader) })
  else if (target.on === 'kind' && !kinds.includes(target.kind)) reader.fault([...at, 'kind'], `“${target.kind}” is no kind. Known are ${kinds.join(', ')}.`)
  else if (target.on === 'os' && target.osFamily !== 'linux' && target.osFamily !== 'windows') reader.fault([...at, 'os'], `“${String(target.osFamily)}” is no OS family. Known are linux and windows.`)
}

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)

/**
 * The steps that make the policy what the document says. Templates are known again by their names, assignments by
 * template and target, exceptions by watch and target; what the document covers and does not name is taken away.
 */
export function fromDocument(document: unknown, policy: Policy, refs: References, note: string): FromDocument {
  const reader = new Reader(refs)
  const steps: PolicyStep[] = []
  const places: (Path | null)[] = []
  const put = (step: PolicyStep, place: Path | null) => { steps.push(step); places.push(place) }
  const root = reader.fields(document, [], 'The document')
  if (root.format !== header) reader.fault('format' in root ? ['format'] : [], `A document of policy says “format: ${header}”.`)
  reader.only(root, ['format', 'covers', 'templates', 'assignments', 'exceptions'], [])
  const covered = root.covers === names.default ? null : reader.list(root.covers, ['covers']).map(String)
  if (!('covers' in root)) reader.fault([], `It has to say what it covers: “covers: ${names.default}”, or a list of templates. What it covers and does not name is taken away.`)
  if (reader.faults.length) return { steps, places, faults: reader.faults }

  const known = (name: string) => policy.templates.find((one) => one.name.toLowerCase() === name.toLowerCase())
  const written = reader.list(root.templates, ['templates']).map((one, i) => ({ fields: reader.fields(one, ['templates', i], 'A template'), at: ['templates', i] as Path }))
  const ids = new Map<string, number>()
  written.forEach(({ fields, at }, i) => {
    const name = reader.text(fields, 'name', at)
    if (ids.has(name.toLowerCase())) reader.fault([...at, 'name'], `“${name}” stands here twice.`)
    if (covered && !covered.includes(name)) reader.fault([...at, 'name'], `“${name}” is not among what the document covers. Add it there.`)
    ids.set(name.toLowerCase(), known(name)?.id ?? -1 - i)
  })
  const templateId = (value: unknown, at: Path): number => {
    const name = typeof value === 'string' ? value : ''
    return reader.number(ids.get(name.toLowerCase()) ?? known(name)?.id ?? null, at, 'template', value)
  }
  for (const { fields, at } of written) {
    reader.only(fields, ['name', 'for', 'includes', 'watches'], at)
    const watches = fields.watches === undefined ? {} : reader.fields(fields.watches, [...at, 'watches'], 'Watches')
    const to: TemplateBody = {
      name: reader.text(fields, 'name', at), description: reader.text(fields, 'for', at, ''),
      includes: reader.list(fields.includes, [...at, 'includes']).map((one, i) => templateId(one, [...at, 'includes', i])),
      watches: Object.entries(watches).map(([key, value]) => reader.watch(key, value, [...at, 'watches', key])),
    }
    const before = known(to.name)
    if (!before) put({ of: 'template', id: ids.get(to.name.toLowerCase())!, basedOn: 0, note, to }, at)
    else if (!sameTemplate(before, to)) put({ of: 'template', id: before.id, basedOn: before.revision, note, to }, at)
  }

  const concerns = (id: number) => covered === null || covered.some((name) => known(name)?.id === id)
  const allWatches = [...steps.flatMap((step) => (step.of === 'template' && step.to ? step.to.watches : [])), ...policy.templates.flatMap((one) => one.watches)]
  const kindOf = (key: string) => allWatches.find((one) => one.key === key)?.kind ?? ''

  const oldAssignments = policy.assignments.filter((one) => concerns(one.templateId))
  reader.list(root.assignments, ['assignments']).forEach((value, i) => {
    const at: Path = ['assignments', i]
    const fields = reader.fields(value, at, 'An assignment')
    reader.only(fields, ['template', 'to', 'rank', 'dormant', 'values', 'why', 'review'], at)
    const target = reader.target(fields.to, [...at, 'to'])
    kindFaults(target, [...at, 'to'], reader)
    const rank = fields.rank ?? 100
    if (typeof rank !== 'number' || !Number.isInteger(rank) || rank < 0 || rank > 1000) reader.fault([...at, 'rank'], 'A rank is a whole number from 0 to 1000; without one it is 100.')
    const own = fields.values === undefined ? {} : reader.fields(fields.values, [...at, 'values'], 'Own values')
    const to: AssignmentBody = {
      templateId: templateId(fields.template, 'template' in fields ? [...at, 'template'] : at), target, rank: rank as number, dormant: fields.dormant === true,
      values: Object.fromEntries(Object.entries(own).map(([key, values]) => [key, reader.values(values, kindOf(key), [...at, 'values', key])])),
      reason: reader.text(fields, 'why', at, ''), reviewAt: reader.day(fields, 'review', at),
    }
    const n = oldAssignments.findIndex((one) => one.templateId === to.templateId && same(one.target, normal(target, one.target)))
    const [before] = n < 0 ? [] : oldAssignments.splice(n, 1)
    if (!before) put({ of: 'assignment', id: -10_001 - i, basedOn: 0, to }, at)
    else {
      const kept = { ...to, target: before.target, reviewAt: sameDay(before.reviewAt, to.reviewAt) }
      if (!same(assignmentBody(before), assignmentBody(kept))) put({ of: 'assignment', id: before.id, basedOn: before.revision, to: kept }, at)
    }
  })

  const coveredKeys = covered === null ? null : new Set([...policy.templates.filter((one) => concerns(one.id)), ...steps.flatMap((step) => (step.of === 'template' && step.to ? [step.to] : []))].flatMap((one) => one.watches.map((watch) => watch.key)))
  const oldExceptions = policy.exceptions.filter((one) => coveredKeys === null || coveredKeys.has(one.watch))
  reader.list(root.exceptions, ['exceptions']).forEach((value, i) => {
    const at: Path = ['exceptions', i]
    const fields = reader.fields(value, at, 'An exception')
    reader.only(fields, ['watch', 'for', 'left out', 'values', 'why', 'owner', 'review'], at)
    const target = reader.target(fields.for, [...at, 'for'])
    kindFaults(target, [...at, 'for'], reader)
    const watch = reader.text(fields, 'watch', at)
    const to: ExceptionBody = {
      target, watch, values: reader.values(fields.values, kindOf(watch), [...at, 'values']), leftOut: fields['left out'] === true, reason: reader.text(fields, 'why', at),
      ownerId: fields.owner === undefined ? null : reader.number(refs.personOf(String(fields.owner)), [...at, 'owner'], 'person', fields.owner), reviewAt: reader.day(fields, 'review', at),
    }
    const n = oldExceptions.findIndex((one) => one.watch === watch && same(one.target, normal(target, one.target)))
    const [before] = n < 0 ? [] : oldExceptions.splice(n, 1)
    if (!before) put({ of: 'exception', id: -50_001 - i, basedOn: 0, to }, at)
    else {
      const kept = { ...to, target: before.target, reviewAt: sameDay(before.reviewAt, to.reviewAt) }
      if (!sameException(before, kept)) put({ of: 'exception', id: before.id, basedOn: before.revision, to: kept }, at)
    }
  })

  for (const one of oldExceptions) put({ of: 'exception', id: one.id, basedOn: one.revision, to: null }, null)
  for (const one of oldAssignments) put({ of: 'assignment', id: one.id, basedOn: one.revision, to: null }, null)
  for (const one of policy.templates) if (concerns(one.id) && !ids.has(one.name.toLowerCase())) put({ of: 'template', id: one.id, basedOn: one.revision, note, to: null }, null)
  return { steps, places, faults: reader.faults }
}

const bySetting = (values: Values) => JSON.stringify(Object.entries(values).sort(([a], [b]) => (a < b ? -1 : 1)))
const sameWatch = (a: WatchSpec, b: WatchSpec) => a.key === b.key && a.kind === b.kind && a.name === b.name && a.why === b.why && same(a.osFamilies, b.osFamilies) && bySetting(a.values) === bySetting(b.values)

function sameTemplate(a: Template, b: TemplateBody): boolean {
  return a.name === b.name && a.description === b.description && same(a.includes, b.includes) && a.watches.length === b.watches.length && a.watches.every((watch, i) => sameWatch(watch, b.watches[i]!))
}

function sameException(a: ExceptionBody, b: ExceptionBody): boolean {
  return bySetting(a.values) === bySetting(b.values) && same([a.leftOut, a.reason, a.ownerId, a.reviewAt], [b.leftOut, b.reason, b.ownerId, b.reviewAt])
}

const sortedValues = (values: Readonly<Record<string, Values>>) => Object.fromEntries(Object.entries(values).sort(([a], [b]) => (a < b ? -1 : 1)).map(([key, one]) => [key, Object.fromEntries(Object.entries(one).sort(([a], [b]) => (a < b ? -1 : 1)))]))
function assignmentBody({ templateId, target, rank, dormant, values, reason, reviewAt }: AssignmentBody): AssignmentBody {
  return { templateId, target, rank, dormant, values: sortedValues(values), reason, reviewAt }
}

/** A document has days; a time on the same day is the same. */
function sameDay(before: number | null, written: number | null): number | null {
  return before !== null && written !== null && dayText(before) === dayText(written) ? before : written
}

/** Chosen devices are a set, and a document sorts them by name. */
function normal(written: Target, before: Target): Target {
  if (written.on === 'devices' && before.on === 'devices' && same([...written.deviceIds].sort(), [...before.deviceIds].sort())) return before
  if (isGroup(written) && isGroup(before) && written.on === before.on && written.of.length === before.of.length) return { on: before.on, of: written.of.map((one, i) => normal(one, before.of[i]!)) }
  // Fields in the order of the one it is compared with.
  return same(sortedFields(written), sortedFields(before)) ? before : written
}
const sortedFields = (target: Target) => Object.entries(target).sort(([a], [b]) => (a < b ? -1 : 1))
