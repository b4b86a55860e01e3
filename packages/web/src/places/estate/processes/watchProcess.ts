import type { DevicePage } from '#contract'
import {
  choiceName,
  watchKind,
  type PolicyStep,
  type ProcessChoice,
  type RunningProgram,
  type Values,
  type WatchSpec,
} from '#core'
import { asName, forOneDevice, intoTemplate, keyFor, type KnownTemplate } from '../../policy/impact/ownTemplate'

/** As long as a pattern of this kind may be. */
const mostPattern = 100

/** The command line of a program as a pattern: the end of one that is too long. */
export function lineOf({ arguments: line = '' }: RunningProgram): string {
  return line.length > mostPattern ? `*${line.slice(1 - mostPattern)}` : line
}

/** What names one program among those that run: its name, and its command line where others have the same name. */
export function choiceFor(program: RunningProgram, others: readonly RunningProgram[]): ProcessChoice {
  const isAlone = others.every(({ name, arguments: all }) => name !== program.name || all === program.arguments)
  return {
    name: program.name,
    path: '',
    arguments: isAlone ? '' : lineOf(program),
    user: '',
  }
}

/** All values of a watch for it. */
export const valuesFor = (choice: ProcessChoice): Values => ({
  ...Object.fromEntries(watchKind('process').parameters.map(({ name, default: value }) => [name, value])),
  ...choice,
})

/** Of a device's own: the name of the template that watches of its processes stand in. */
export const processTemplateOf = ({ name, clientName }: Pick<DevicePage, 'name' | 'clientName'>) =>
  asName(`Processes of ${name}, ${clientName}`)

const text = (value: unknown) => (typeof value === 'string' ? value : '')

function specOf(values: Values, on: string, isTaken: (key: string) => boolean): WatchSpec {
  const about = choiceName({
    name: text(values.name),
    path: text(values.path),
    arguments: text(values.arguments),
    user: text(values.user),
  })
  const standard = valuesFor({ name: '', path: '', arguments: '', user: '' })
  return {
    key: keyFor('process', about, isTaken),
    kind: 'process',
    name: asName(about || 'Process'),
    why: `Picked from what runs on ${on}.`,
    osFamilies: [],
    values: Object.fromEntries(Object.entries(values).filter(([name, value]) => value !== standard[name])),
  }
}

/** Puts a watch of a process into a template that there is, or, with null, into one for the device alone. */
export function watchProcess(
  device: Pick<DevicePage, 'id' | 'name' | 'clientName'>,
  values: Values,
  template: KnownTemplate | null,
): PolicyStep[] {
  const spec = specOf(values, device.name, (key) => template?.watches.some((watch) => watch.key === key) ?? false)
  const note = `Watch ${spec.name}`
  if (template) return intoTemplate(template, spec, note)
  const body = {
    name: processTemplateOf(device),
    description: 'Processes that were picked from what runs on it.',
    includes: [],
    watches: [{ ...spec, key: keyFor('process', `own ${device.id} ${spec.name}`, () => false) }],
  }
  return forOneDevice(device.id, body, note, 'Picked from what runs on it.')
}
