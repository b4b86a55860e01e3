import { describe, expect, it } from 'vitest'
import type { Parameter, ParameterValue } from '#core'
import { show } from '../../testing/page'
import ParameterEditor from './ParameterEditor.vue'

const parameter = (more: Partial<Parameter>): Parameter => ({
  name: 'x',
  type: 'percent',
  label: 'Free',
  explains: '',
  default: 0.1,
  ...more,
})

/** Types into the editor of a parameter; gives what it would save, or what it objects to. */
async function type(
  spec: Partial<Parameter>,
  value: ParameterValue,
  typed: string,
): Promise<{ saved: unknown; fault: string }> {
  const { page } = await show(ParameterEditor, { parameter: parameter(spec), value })
  await page.find('input, textarea').setValue(typed)
  await page.find('form').trigger('submit')
  const result = {
    saved: page.emitted('change')?.[0]?.[0],
    fault: page.find('[role=alert]').exists() ? page.find('[role=alert]').text() : '',
  }
  page.unmount()
  return result
}

describe('a value, typed as it reads in the sentence', () => {
  it.each([
    ['percent', '8 %', 0.08],
    ['percent', '8.5', 0.085],
    ['duration', '90 s', 90_000],
    ['duration', '2 h', 7_200_000],
    ['bytes', '20 GB', 20e9],
    ['count', '3', 3],
    ['text', 'completed', 'completed'],
  ] as const)('%s: %s', async (kind, typed, saved) => {
    expect(await type({ type: kind, default: 0 }, 1, typed)).toEqual({ saved, fault: '' })
  })
  it.each([
    ['percent', '12.5 %', 0.125],
    ['duration', '15 min', 900_000],
    ['patterns', 'nginx\napache2', ['nginx', 'apache2']],
  ] as const)(
    '%s, letter by letter, is not written anew under the fingers by whoever follows it',
    async (kind, typed, value) => {
      const { page } = await show(ParameterEditor, {
        parameter: parameter({ type: kind, default: null, optional: true }),
        value: null,
      })
      const field = page.find<HTMLInputElement>('input, textarea')
      for (let n = 1; n <= typed.length; n++) {
        await field.setValue(field.element.value + typed[n - 1]!)
        const followed = page.emitted('typing')?.at(-1)?.[0] as ParameterValue | undefined
        if (followed !== undefined) await page.setProps({ value: followed })
      }
      expect([field.element.value, page.emitted('typing')!.at(-1)![0]]).toEqual([typed, value])
      await page.setProps({ value: null })
      expect(field.element.value).toBe('')
      page.unmount()
    },
  )
  it('names: one a line or with commas, blanks dropped', async () => {
    expect((await type({ type: 'patterns', default: [] }, ['a'], 'nginx\n apache2 ,, *updater* ')).saved).toEqual([
      'nginx',
      'apache2',
      '*updater*',
    ])
  })
  it('is not saved while it makes no sense, and an example says how to write it', async () => {
    expect(await type({ type: 'duration', default: 0 }, 1000, 'soon')).toEqual({
      saved: undefined,
      fault: 'Write it like 90 s, 15 min, 2 h, 7 days.',
    })
    expect((await type({ type: 'bytes', default: 0 }, 1, '20 parsecs')).fault).toContain('20 GB')
  })
  it('is not saved outside its range, which the objection names', async () => {
    const { saved, fault } = await type({ min: 0, max: 1, label: 'Free space' }, 0.1, '120 %')
    expect(saved).toBeUndefined()
    expect(fault).toBe('Free space must lie between 0 % and 100 %; 120 % does not.')
  })
  it('may be left empty only where it is optional', async () => {
    expect(await type({ optional: true }, 0.1, '')).toEqual({ saved: null, fault: '' })
    expect((await type({}, 0.1, '')).fault).toBe('Free needs a value.')
  })
  it('is left unchanged with Escape', async () => {
    const { page } = await show(ParameterEditor, { parameter: parameter({}), value: 0.1 })
    expect(page.find('input').element.value).toBe('10 %')
    await page.find('form').trigger('keydown', { key: 'Escape' })
    expect(page.emitted('cancel')).toHaveLength(1)
    expect(page.emitted('change')).toBeUndefined()
    page.unmount()
  })
})
