import type { ChangeScope, NewWindow, WindowView } from '#contract'
import {
  day,
  hour,
  readRepeat,
  repeatRule,
  type LocalTime,
  type Millis,
  type MonthDay,
  type RepeatEnd,
  type Target,
  type Weekday,
  type WindowSubject,
} from '#core'

/** A window while somebody writes it: what the controls of its sentence say. */
export interface WindowForm {
  /** *device*, *everyone*, *client*, `site12`, or *target*: built from conditions. */
  where: string
  clientId: number
  deviceIds: readonly number[]
  target: Target
  subject: WindowSubject
  begins: 'now' | 'at'
  at: LocalTime
  ends: 'length' | 'at' | 'open'
  length: Millis
  untilAt: LocalTime
  repeat: 'once' | 'day' | 'week' | 'month' | 'rule'
  interval: number
  days: Weekday[]
  on: MonthDay
  /** Of *rule*: the value of RRULE. */
  rule: string
  end: RepeatEnd
  zone: string | null
  except: Millis[]
  name: string
  reason: string
  ticket: string
  ownerId: number | null
  reviewAt: Millis | null
}

/** *2026-11-24T02:00:00* on the clocks of a zone; of this machine without one. */
export function localText(at: Millis, zone?: string): LocalTime {
  const parts = Object.fromEntries(
    new Intl.DateTimeFormat('en-CA', {
      timeZone: zone,
      hourCycle: 'h23',
      year: 'numeric',
      month: '2-digit',
      day: '2-digit',
      hour: '2-digit',
      minute: '2-digit',
      second: '2-digit',
    })
      .formatToParts(at)
      .map(({ type, value }) => [type, value]),
  )
  return `${parts.year}-${parts.month}-${parts.day}T${parts.hour}:${parts.minute}:${parts.second}`
}

export interface Begin {
  clientId: number
  deviceIds?: readonly number[]
  siteId?: number
  subject?: WindowSubject
  from?: Millis
  length?: Millis
}

/** A new window: of a device, of chosen ones, or of a client; from now for an hour, unless a span was drawn. */
export function emptyForm({ clientId, deviceIds = [], siteId, subject, from, length }: Begin): WindowForm {
  const at = from ?? Math.ceil(Date.now() / hour) * hour
  return {
    where: deviceIds.length ? 'device' : siteId ? `site${siteId}` : clientId ? 'client' : 'everyone',
    clientId,
    deviceIds,
    target: { on: 'client', clientId },
    subject: subject ?? { of: 'all' },
    begins: from === undefined ? 'now' : 'at',
    at: localText(at),
    ends: 'length',
    length: length ?? hour,
    untilAt: localText(at + hour),
    repeat: 'once',
    interval: 1,
    days: [],
    on: { day: 1 },
    rule: '',
    end: null,
    zone: null,
    except: [],
    name: '',
    reason: '',
    ticket: '',
    ownerId: null,
    reviewAt: null,
  }
}

function whereOf(target: Target): Partial<WindowForm> {
  switch (target.on) {
    case 'everyone':
      return { where: 'everyone' }
    case 'client':
      return { where: 'client', clientId: target.clientId }
    case 'site':
      return { where: `site${target.siteId}` }
    default:
      return { where: 'target' }
  }
}

function repeatOf(rule: string | null): Partial<WindowForm> {
  if (rule === null) return { repeat: 'once' }
  const found = readRepeat(rule)
  if (!found) return { repeat: 'rule', rule }
  const { repeat, end } = found
  return {
    repeat: repeat.every,
    interval: repeat.interval,
    end,
    ...(repeat.every === 'week' ? { days: [...repeat.days] } : {}),
    ...(repeat.every === 'month' ? { on: repeat.on } : {}),
  }
}

/** The form of a window that is there. @param start of its times, the one that is changed; null: all of them */
export function formOf(window: WindowView, start: Millis | null = null): WindowForm {
  const times =
    start === null
      ? { at: window.starts.slice(0, 19), length: window.length }
      : { at: localText(window.from, window.zone), length: window.until === null ? null : window.until - window.from }
  return {
    ...emptyForm({ clientId: window.clientId ?? 0 }),
    target: window.target,
    ...whereOf(window.target),
    subject: window.subject,
    begins: 'at',
    at: times.at,
    ends: times.length === null ? 'open' : 'length',
    length: times.length ?? hour,
    ...repeatOf(window.rule),
    zone: window.zone,
    name: window.name,
    reason: window.reason,
    ticket: window.ticket,
    ownerId: window.ownerId,
    reviewAt: window.reviewAt,
  }
}

/**
 * The times in a form when somebody turns from one time of a window to all of them, or back. Of all, the day on which
 * they began stays, however far the one that was moved lies ahead: its time of day is what is meant for the others.
 */
export function timesFor(
  window: WindowView,
  scope: ChangeScope,
  one: WindowForm,
): Pick<WindowForm, 'at' | 'ends' | 'length'> {
  const { ends, length } = one
  return { at: scope === 'all' ? window.starts.slice(0, 10) + one.at.slice(10) : one.at, ends, length }
}

/** A copy begins anew: with the next hour, where it was once. */
export function copyOf(window: WindowView): WindowForm {
  const form = formOf(window)
  const at = Math.ceil(Date.now() / hour) * hour
  return {
    ...form,
    at: `${localText(at, window.zone).slice(0, 10)}${form.at.slice(10)}`,
    ownerId: null,
    reviewAt: null,
  }
}

export function targetOf(form: WindowForm): Target {
  if (form.where === 'device') return { on: 'devices', deviceIds: form.deviceIds }
  if (form.where.startsWith('site')) return { on: 'site', siteId: Number(form.where.slice(4)) }
  if (form.where === 'everyone') return { on: 'everyone' }
  return form.where === 'target' ? form.target : { on: 'client', clientId: form.clientId }
}

function ruleOf(form: WindowForm): string | null {
  const { interval, end } = form
  switch (form.repeat) {
    case 'once':
      return null
    case 'rule':
      return form.rule.trim().replace(/^RRULE:/i, '')
    case 'day':
      return repeatRule({ every: 'day', interval }, end)
    case 'week':
      return repeatRule({ every: 'week', interval, days: form.days }, end)
    case 'month':
      return repeatRule({ every: 'month', interval, on: form.on }, end)
  }
}

/** @param fallback its name, where none was given */
export function bodyOf(form: WindowForm, fallback: string): NewWindow {
  const isOnce = form.repeat === 'once'
  return {
    name: form.name.trim() || fallback,
    reason: form.reason,
    target: targetOf(form),
    subject: form.subject,
    from: form.begins === 'now' ? null : form.at,
    until: form.ends === 'at' && isOnce ? form.untilAt : null,
    length: form.ends === 'length' || (form.ends === 'at' && !isOnce) ? form.length : null,
    zone: form.zone,
    rule: ruleOf(form),
    ownerId: form.ownerId,
    ticket: form.ticket.trim(),
    reviewAt: form.reviewAt,
  }
}

export const lengths: readonly [Millis, string][] = [
  [hour / 4, '15 min'],
  [hour / 2, '30 min'],
  [hour, '1 h'],
  [2 * hour, '2 h'],
  [3 * hour, '3 h'],
  [4 * hour, '4 h'],
  [6 * hour, '6 h'],
  [8 * hour, '8 h'],
  [12 * hour, '12 h'],
  [day, '24 h'],
  [2 * day, '2 days'],
  [7 * day, '7 days'],
]
