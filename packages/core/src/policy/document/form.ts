import { bytesText, durationText, parseBytes, parseDuration } from '../../text'
import { watchKinds, type Parameter, type ParameterValue } from '../../watch'

/**
 * How a document calls what has a number in the database: clients by code, sites and devices behind it, people by
 * e-mail address.
 */
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

/** First line of every document of this form. */
export const header = 'custode policy 1'
/** A target without a condition, and a document that leaves nothing out. */
export const everything = 'everything'
export const dayText = (at: number) => new Date(at).toISOString().slice(0, 10)
export const parameterOf = (kind: string, name: string) =>
  watchKinds.get(kind)?.parameters.find((parameter) => parameter.name === name)

/** As people write it where that says exactly the same, else the plain number. */
export function plainValue(parameter: Parameter | undefined, value: ParameterValue): unknown {
  if (typeof value !== 'number') return value
  if (parameter?.type === 'duration' && parseDuration(durationText(value)) === value) return durationText(value)
  if (parameter?.type === 'bytes' && parseBytes(bytesText(value)) === value) return bytesText(value)
  const percent = Number((value * 100).toFixed(6))
  return parameter?.type === 'percent' && percent / 100 === value ? `${percent} %` : value
}

export function readValue(parameter: Parameter | undefined, value: unknown): ParameterValue {
  if (typeof value === 'string' && parameter) {
    if (parameter.type === 'duration') return parseDuration(value) ?? value
    if (parameter.type === 'bytes') return parseBytes(value) ?? value
    const percent = parameter.type === 'percent' ? /^\s*(\d+(?:\.\d+)?)\s*%\s*$/.exec(value) : null
    if (percent) return Number(percent[1]) / 100
  }
  return value as ParameterValue
}
