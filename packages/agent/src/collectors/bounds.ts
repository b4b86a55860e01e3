import { eventLimits, factLimits } from '#contract/report'
import type { Facts, LogEvent } from '#core'

/** The end of the year 9999. */
const lastTime = 253_402_300_799_999
const cut = (text: string, most: number) => (text.length > most ? text.slice(0, most) : text)
const mark = (text: string, most: number) => (text.length > most ? `${text.slice(0, most - 1)}…` : text)

/**
 * Facts as long as a server takes them. Names that are longer than any system allows are left out, because cut they
 * would be other names.
 */
export function boundFacts(facts: Facts): Facts {
  const {
    services,
    serviceName,
    title,
    account,
    neededBy,
    starting,
    startLooks,
    disks,
    drives,
    driveName,
    mount,
    fileSystem,
    packages,
    packageName,
    ports,
    logs,
    logName,
    trouble,
    updateNames,
    updateName,
    updateWords,
    waiting,
    outdated,
    outdatedFiles,
    osName,
    hostName,
    addresses,
    gateways,
    links,
    blocks,
    sensors,
    partName,
    programs,
    programPath,
    programArguments,
    programUser,
    files,
    fileName,
    guards,
    guardName,
    sessions,
    sessionWord,
    counters,
    counterSeries,
    counterName,
  } = factLimits
  const bounded: Facts = { ...facts }
  if (facts.system)
    bounded.system = {
      ...facts.system,
      osName: cut(facts.system.osName, osName),
      hostName: cut(facts.system.hostName, hostName),
      ...(facts.system.addresses ? { addresses: facts.system.addresses.slice(0, addresses) } : {}),
    }
  if (facts.services)
    bounded.services = facts.services
      .filter((service) => service.name.length <= serviceName)
      .slice(0, services)
      .map((service) => ({
        ...service,
        title: mark(service.title, title),
        // By clocks that are far off, before 1970, too.
        ...(service.since === undefined || (service.since >= 0 && service.since <= lastTime)
          ? {}
          : { since: undefined }),
        ...(service.account === undefined ? {} : { account: mark(service.account, account) }),
        ...(service.neededBy
          ? { neededBy: service.neededBy.filter((name) => name.length <= serviceName).slice(0, neededBy) }
          : {}),
      }))
  if (facts.starts)
    bounded.starts = facts.starts
      .filter(({ service }) => service.length <= serviceName)
      .slice(0, starting)
      .map(({ service, looks }) => ({ service, looks: looks.slice(-startLooks) }))
  if (facts.disks)
    bounded.disks = facts.disks
      .filter((disk) => disk.mount.length <= mount)
      .slice(0, disks)
      .map((disk) => ({
        ...disk,
        device: cut(disk.device, mount),
        fileSystem: cut(disk.fileSystem, fileSystem),
        ...(disk.trouble === undefined ? {} : { trouble: mark(disk.trouble, trouble) }),
      }))
  if (facts.drives)
    bounded.drives = {
      drives: facts.drives.drives
        .filter(({ name }) => name.length <= driveName)
        .slice(0, drives)
        .map((drive) => ({
          ...drive,
          model: mark(drive.model, driveName),
          ...(drive.serial === undefined ? {} : { serial: mark(drive.serial, driveName) }),
          ...(drive.trouble === undefined ? {} : { trouble: mark(drive.trouble, trouble) }),
        })),
      arrays: facts.drives.arrays
        .filter(({ name }) => name.length <= driveName)
        .slice(0, drives)
        .map((array) => ({
          ...array,
          level: mark(array.level, driveName),
          ...(array.trouble === undefined ? {} : { trouble: mark(array.trouble, trouble) }),
        })),
    }
  if (facts.updates) {
    const { names, refresh, outdated: programs } = facts.updates
    bounded.updates = {
      ...facts.updates,
      names: names.slice(0, updateNames).map((name) => cut(name, updateName)),
      ...(refresh ? { refresh: { ...refresh, reason: mark(refresh.reason, trouble) } } : {}),
      ...(programs
        ? {
            outdated: programs
              .filter(({ name }) => name.length <= serviceName)
              .slice(0, outdated)
              .map((program) => ({
                ...program,
                files: program.files.slice(0, outdatedFiles).map((file) => cut(file, mount)),
              })),
          }
        : {}),
    }
  }
  if (facts.waiting) {
    const words = (text: string | undefined, name: 'from' | 'to' | 'origin') =>
      text === undefined ? {} : { [name]: cut(text, updateWords) }
    const bounding = facts.waiting.map(({ from, to, origin, ...update }) => ({
      ...update,
      name: cut(update.name, updateName),
      ...words(from, 'from'),
      ...words(to, 'to'),
      ...words(origin, 'origin'),
    }))
    // Titles that differ behind what is told of them are one.
    bounded.waiting = [...new Map(bounding.map((update) => [update.name, update])).values()].slice(0, waiting)
  }
  if (facts.packages) bounded.packages = facts.packages.filter((name) => name.length <= packageName).slice(0, packages)
  if (facts.gateways) bounded.gateways = facts.gateways.slice(0, gateways)
  if (facts.links) bounded.links = facts.links.filter(({ name }) => name.length <= partName).slice(0, links)
  if (facts.blocks) bounded.blocks = facts.blocks.filter((name) => name.length <= partName).slice(0, blocks)
  if (facts.sensors) bounded.sensors = facts.sensors.filter(({ name }) => name.length <= partName).slice(0, sensors)
  if (facts.programs)
    bounded.programs = facts.programs
      .filter(({ name }) => name.length <= partName)
      .slice(0, programs)
      .map(({ name, path, arguments: all, user }) => ({
        name,
        ...(path === undefined ? {} : { path: cut(path, programPath) }),
        ...(all === undefined ? {} : { arguments: mark(all, programArguments) }),
        ...(user === undefined ? {} : { user: cut(user, programUser) }),
      }))
  if (facts.files)
    bounded.files = facts.files
      .filter(({ name }) => name.length <= fileName)
      .slice(0, files)
      .map((file) => (file.trouble === undefined ? file : { ...file, trouble: mark(file.trouble, trouble) }))
  if (facts.protection) {
    const { scanners, firewalls, volumes, clock } = facts.protection
    const marked = <T extends { trouble?: string }>(told: T): T =>
      told.trouble === undefined ? told : { ...told, trouble: mark(told.trouble, trouble) }
    const some = <T extends { name: string; trouble?: string }>(list: readonly T[], longest: number): T[] =>
      [
        ...new Map(list.filter(({ name }) => name.length <= longest).map((one) => [one.name, marked(one)])).values(),
      ].slice(0, guards)
    bounded.protection = {
      scanners: some(scanners, guardName),
      firewalls: some(firewalls, guardName).map((one) => ({ ...one, by: cut(one.by, guardName) })),
      volumes: some(volumes, mount),
      clock: marked(clock),
    }
  }
  if (facts.sessions)
    bounded.sessions = {
      ...facts.sessions,
      list: facts.sessions.list
        .filter(({ id, user }) => id.length <= sessionWord && user.length <= sessionWord)
        .slice(0, sessions)
        .map((session) => ({ ...session, from: cut(session.from, sessionWord) })),
      ...(facts.sessions.closedBy ? { closedBy: mark(facts.sessions.closedBy, trouble) } : {}),
    }
  if (facts.counters)
    bounded.counters = facts.counters.slice(0, counters).map((told) => ({
      ...told,
      ...(told.detail === undefined ? {} : { detail: mark(told.detail, trouble) }),
      series: told.series.filter(({ name }) => name.length <= counterName).slice(0, counterSeries),
      missing: told.missing.slice(0, counterSeries),
    }))
  if (facts.ports) bounded.ports = facts.ports.slice(0, ports)
  if (facts.logs)
    bounded.logs = facts.logs
      .filter((log) => log.name.length <= logName)
      .slice(0, logs)
      .map((log) => (log.trouble === undefined ? log : { ...log, trouble: mark(log.trouble, trouble) }))
  return bounded
}

/** What means something else in JavaScript is no name of a field: a server would refuse all that came with it. */
const isFieldName = (name: string) =>
  name !== '' && name.length <= eventLimits.fieldName && !['__proto__', 'constructor', 'prototype'].includes(name)

function boundFields(fields: Readonly<Record<string, string>>): Pick<LogEvent, 'fields'> {
  const bounded = Object.entries(fields)
    .filter(([name]) => isFieldName(name))
    .slice(0, eventLimits.fields)
    .map(([name, value]) => [name, mark(value, eventLimits.fieldText)] as const)
  return bounded.length ? { fields: Object.fromEntries(bounded) } : {}
}

/** Log entries as long as a server takes them. */
export function boundEvents(events: readonly LogEvent[]): LogEvent[] {
  return events.map(({ fields, ...event }) => ({
    ...event,
    ...boundFields(fields ?? {}),
    channel: cut(event.channel, eventLimits.channel),
    source: cut(event.source, eventLimits.source),
    text: mark(event.text, eventLimits.text),
  }))
}
