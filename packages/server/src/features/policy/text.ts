import type { TextTrial } from '#contract'
import {
  targetSentence,
  templateChanges,
  toDocument,
  valuesText,
  withSteps,
  type KnownEstate,
  type Policy,
  type PolicyStep,
  type References,
} from '#core'
import { rows, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import type { Viewer } from '../access'
import { impactOfSteps } from './change'
import { readEstate, type Estate } from './names'
import { requireSteps } from './steps'
import { policyInForce, type PolicyInForce } from '../../store/policy'
import { stepsOfText } from './textSteps'
import { writeYaml } from './yaml'

async function readReferences(db: Db, estate: Estate): Promise<References> {
  const codes = new Map(
    (await rows<{ id: number; code: string }>(db, 'select id, code from client limit 5000')).map((row) => [
      row.id,
      row.code,
    ]),
  )
  const people = new Map(
    (await rows<{ id: number; email: string }>(db, 'select id, email from person limit 10000')).map((row) => [
      row.id,
      row.email,
    ]),
  )
  const site = (id: number) => {
    const found = estate.sites.get(id)
    return found ? `${codes.get(found.client_id)}/${found.name}` : null
  }
  const device = (id: number) => {
    const found = estate.devices.get(id)
    return found ? `${codes.get(found.clientId)}/${found.name}` : null
  }
  const back = <K>(keys: Iterable<number>, text: (id: number) => K | null) =>
    new Map(
      [...keys].flatMap((id) => {
        const read = text(id)
        return read === null ? [] : [[String(read).toLowerCase(), id] as const]
      }),
    )
  const [clientIds, siteIds, deviceIds, personIds] = [
    back(codes.keys(), (id) => codes.get(id)!),
    back(estate.sites.keys(), site),
    back(estate.devices.keys(), device),
    back(people.keys(), (id) => people.get(id)!),
  ]
  return {
    client: (id) => codes.get(id) ?? null,
    site,
    device,
    person: (id) => people.get(id) ?? null,
    clientOf: (text) => clientIds.get(text.toLowerCase()) ?? null,
    siteOf: (text) => siteIds.get(text.toLowerCase()) ?? null,
    deviceOf: (text) => deviceIds.get(text.toLowerCase()) ?? null,
    personOf: (text) => personIds.get(text.toLowerCase()) ?? null,
  }
}

/** @param only these templates and what belongs to them; null: everything */
export async function exportPolicy(db: Db, only: readonly number[] | null): Promise<string> {
  return writeYaml(toDocument(await policyInForce(db), await readReferences(db, await readEstate(db, null)), only))
}

function toldStep(step: PolicyStep, before: Policy, after: Policy, estate: KnownEstate): TextTrial['steps'][number] {
  const change = step.to === null ? 'removed' : step.id < 0 ? 'made' : 'changed'
  const templateName = (id: number) =>
    [...after.templates, ...before.templates].find((template) => template.id === id)?.name ?? ''
  if (step.of === 'template') {
    const old = before.templates.find((template) => template.id === step.id)
    return {
      of: 'template',
      change,
      name: (step.to ?? old)!.name,
      words: step.to && old ? templateChanges(old, step.to, templateName) : [],
    }
  }
  if (step.of === 'assignment') {
    const body = (step.to ?? before.assignments.find((assignment) => assignment.id === step.id))!
    return {
      of: 'assignment',
      change,
      name: `${templateName(body.templateId)} to ${targetSentence(body.target, estate)}`,
      words: [],
    }
  }
  const body = (step.to ?? before.exceptions.find((exception) => exception.id === step.id))!
  const kind =
    [...after.templates, ...before.templates]
      .flatMap((template) => template.watches)
      .find((watch) => watch.key === body.watch)?.kind ?? ''
  return {
    of: 'exception',
    change,
    name: `${body.watch} for ${targetSentence(body.target, estate)}`,
    words: [body.leftOut ? 'left out' : valuesText(kind, body.values)],
  }
}

/** What a text would do: its faults, or its steps in words with their impact. Saves nothing. */
export async function tryText(
  db: Db,
  viewer: Viewer,
  text: string,
  note: string,
): Promise<{ trial: TextTrial; steps: PolicyStep[]; before: PolicyInForce }> {
  const before = await policyInForce(db)
  const estate = await readEstate(db, null)
  const { steps, faults } = stepsOfText(text, before, await readReferences(db, estate), estate, note)
  if (faults.length) return { trial: { faults, steps: [], impact: null }, steps: [], before }
  if (steps.length) await requireSteps(db, before, steps, viewer)
  const after = withSteps(before, steps, Date.now())
  try {
    const impact = await impactOfSteps(db, before, after, steps, viewer.clientIds)
    return {
      trial: { faults: [], steps: steps.map((step) => toldStep(step, before, after, estate)), impact },
      steps,
      before,
    }
  } catch (error) {
    // What only shows on devices, where several templates meet, has no line of its own.
    if (!(error instanceof ProblemError)) throw error
    return {
      trial: { faults: [{ line: 1, at: '', message: error.detail }], steps: [], impact: null },
      steps: [],
      before,
    }
  }
}
