import { bytesText, countText, durationText, patternFault, percentText } from '../text'
import { readHours } from './hours'

export type ParameterValue = number | string | boolean | readonly string[] | null
/** Values by parameter name. A name that is absent leaves the value to a less specific source. */
export type Values = Readonly<Record<string, ParameterValue>>

export type ParameterType =
  'percent' | 'bytes' | 'duration' | 'count' | 'number' | 'choice' | 'text' | 'patterns' | 'lines' | 'hours'

export interface Parameter {
  name: string
  type: ParameterType
  label: string
  /** What it does and why the default is what it is; names its source where there is one. */
  explains: string
  default: ParameterValue
  min?: number
  max?: number
  choices?: readonly string[]
  /** How a text has to be, and how that is said. */
  form?: { is: { test(text: string): boolean }; says: string }
  /** Of a text, or of each of its lines: why it is none, as a sentence of its own; null: it is one. */
  fault?(text: string): string | null
  /** Patterns that everybody who speaks about them adds to, in place of the most specific word alone. */
  adds?: true
  /** May be null: this part of the rule is then not used. */
  optional?: boolean
}

const written = {
  count: 'a whole number',
  number: 'a number',
  percent: 'a share such as 8 %',
  bytes: 'a size such as 20 GB',
  duration: 'a duration such as 90 s, 15 min or 26 h',
} as const

/** Of a parameter of lines. */
const mostLines = 50

/** Why a value does not fit a parameter, as a sentence that says what to do, or null. */
export function parameterFault(parameter: Parameter, value: ParameterValue): string | null {
  const name = parameter.label
  if (value === null) return parameter.optional ? null : `${name} needs a value.`
  switch (parameter.type) {
    case 'patterns':
      if (!Array.isArray(value) || !value.every((text) => typeof text === 'string'))
        return `${name} needs a list of names or patterns.`
      if (value.length > 100) return `${name} takes at most 100 patterns; use * to say more with fewer.`
      for (const text of value) {
        const fault = patternFault(text)
        if (fault) return `${name}: ${fault}`
        if (text.startsWith('!') && !parameter.adds)
          return `${name}: “${text}” takes a name back, which only a list of what is left out can do. Leave the name out there.`
      }
      return null
    case 'lines': {
      if (!Array.isArray(value) || !value.every((text) => typeof text === 'string'))
        return `${name} needs lines of text.`
      if (value.length > mostLines) return `${name} takes at most ${mostLines} lines.`
      for (const text of value) {
        const fault = parameter.fault?.(text)
        if (fault) return `${name}: ${fault}`
      }
      return null
    }
    case 'hours':
      return value === '' || (typeof value === 'string' && value.length <= 100 && readHours(value))
        ? null
        : `${name} are written like Mon–Fri 08:00–20:00, or Sat, Sun 22:00–06:00.`
    case 'choice':
      return parameter.choices?.includes(value as string)
        ? null
        : `${name} must be one of ${parameter.choices?.join(', ')}.`
    case 'text':
      if (typeof value !== 'string' || value.length > 500) return `${name} needs a text of at most 500 characters.`
      if (value !== '' && parameter.fault) return parameter.fault(value)
      return value === '' || !parameter.form || parameter.form.is.test(value)
        ? null
        : `${name} needs ${parameter.form.says}; “${value}” is none.`
    default: {
      if (typeof value !== 'number' || !Number.isFinite(value)) return `${name}: write ${written[parameter.type]}.`
      const { min = 0, max = Number.MAX_SAFE_INTEGER } = parameter
      if (value < min || value > max)
        return `${name} must lie between ${valueText(parameter, min)} and ${valueText(parameter, max)}; ${valueText(parameter, value)} does not.`
      return (parameter.type === 'count' || parameter.type === 'duration') && !Number.isInteger(value)
        ? `${name} needs a whole number.`
        : null
    }
  }
}

/** What a number may be, as a sentence; empty for what is no number, and where everything may be. */
export function rangeText(parameter: Parameter): string {
  const { min, max, type } = parameter
  if (
    type === 'choice' ||
    type === 'text' ||
    type === 'patterns' ||
    type === 'lines' ||
    type === 'hours' ||
    (min === undefined && max === undefined)
  )
    return ''
  const [low, high] = [min ?? 0, max].map((bound) =>
    bound === undefined || bound >= 1e15 ? null : valueText(parameter, bound),
  )
  return high ? `${low} to ${high}.` : `From ${low} on.`
}

const absent: Partial<Record<Parameter['type'], string>> = { hours: 'at all hours', text: 'any', choice: 'any' }

function patternsText(patterns: readonly string[]): string {
  const taken = patterns.filter((pattern) => !pattern.startsWith('!'))
  const back = patterns.filter((pattern) => pattern.startsWith('!')).map((pattern) => pattern.slice(1))
  return [taken.join(', '), back.length ? `but not ${back.join(', ')}` : ''].filter(Boolean).join(', ') || 'none'
}

/** A value as it stands in a sentence. */
export function valueText(parameter: Parameter, value: ParameterValue): string {
  if (value === null || value === '') return absent[parameter.type] ?? 'off'
  switch (parameter.type) {
    case 'percent':
      return percentText(value as number)
    case 'bytes':
      return bytesText(value as number)
    case 'duration':
      return durationText(value as number)
    case 'patterns':
      return patternsText(value as readonly string[])
    case 'lines':
      return countText((value as readonly string[]).length, 'line')
    default:
      return String(value)
  }
}
