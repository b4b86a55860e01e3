import type { FormItemRule } from 'element-plus/es/components/form/index'
import type { ObjectSchema } from 'joi'
import { ref, type Ref } from 'vue'
import { ApiError } from '../data/api'
import { refused } from './notify'

export interface Checked {
  /** What is wrong, by field; under “” what is of none. */
  faults: Readonly<Ref<Readonly<Record<string, string>>>>
  /** The rule of one field, for its item of the form. */
  rule(field: string): FormItemRule[]
  /**
   * Sends what the form says, once it is as the server wants it. What the server refuses stands at its field too.
   * @returns null when it was not taken
   */
  send<Answer>(work: () => Promise<Answer>): Promise<Answer | null>
}

/**
 * A form that is held against the schema that its server route uses, so that a fault stands at its field in the same
 * words. @param load brings the schema when it is first needed: no page waits for it
 */
export function useChecked<Body extends object>(load: () => Promise<ObjectSchema<Body>>, body: () => Body): Checked {
  const faults = ref<Record<string, string>>({})
  async function find(): Promise<Record<string, string>> {
    const { error } = (await load()).validate(body(), { abortEarly: false, convert: false })
    return byField((error?.details ?? []).map(({ path, message }) => ({ at: path.join('.'), message })))
  }
  return {
    faults,
    rule: (field) => [
      {
        trigger: 'blur',
        asyncValidator: async () => {
          const { [field]: fault } = await find()
          if (fault) throw new Error(fault)
        },
      },
    ],
    async send(work) {
      faults.value = await find()
      if (Object.keys(faults.value).length) return null
      try {
        return await work()
      } catch (error) {
        if (!(error instanceof ApiError)) throw error
        const found = error.problem.faults ?? []
        // Of a single fault the refusal as a whole speaks, in a whole sentence.
        faults.value = byField(found.length === 1 ? [{ at: found[0]!.at, message: error.message }] : found)
        if (!Object.keys(faults.value).length) refused(error)
        return null
      }
    },
  }
}

/** The first of each field, which is named where it is shown, and not once more in its fault. */
function byField(found: readonly { at: string; message: string }[]): Record<string, string> {
  const faults: Record<string, string> = {}
  for (const { at, message } of found) faults[at.split('.')[0]!] ??= message.replace(/^"[^"]*" /, '')
  return faults
}
