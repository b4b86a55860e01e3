import { describe, expect, it } from 'vitest'
import { watchKind, type ParameterValue } from '#core'
import { show } from '../../../testing/page'
import ParameterEditor from '../../../parts/ui/ParameterEditor.vue'
import CountersTrial from './CountersTrial.vue'

const usual = Object.fromEntries(
  watchKind('program-counters').parameters.map(({ name, default: value }) => [name, value]),
)
const trial = async (values: Record<string, ParameterValue>) => {
  const { page } = await show(CountersTrial, { values: { ...usual, ...values } })
  const rows = () => page.findAll('tbody tr').map((row) => row.findAll('td').map((cell) => cell.text()))
  return { page, rows, give: (text: string) => page.get('textarea').setValue(text) }
}

describe('lines of counters, tried while they are typed', () => {
  it('what is known of a program stands there before anything is given, with what it needs', async () => {
    const { page, rows } = await trial({ program: 'nginx' })
    expect(rows()[0]).toEqual(['connections', 'after "Active connections:"'])
    expect(page.text()).toContain('nginx needs: a page of its own')
  })
  it('what is found, what is not there, and what is wrong with a line', async () => {
    const { page, rows, give } = await trial({
      counters: [
        'used = /used, MB',
        'n = /pools/*/n',
        'all = /all, per second',
        'gone = /gone',
        'none = /none/*',
        'half',
      ],
    })
    await give('{"used":3,"pools":{"www":{"n":2},"api":{}},"all":7,"none":[]}')
    expect(rows()).toEqual([
      ['used', '3 MB'],
      ['n', '2 of www, no number of api'],
      ['all', '7; what counts is by how much it rises in a second'],
      ['gone', 'is not there'],
      ['none', 'none now'],
      ['half', expect.stringContaining('Write a name, = and where it stands') as string],
    ])
    expect(page.findAll('.critical').length).toBe(2)
    await give('<html>')
    expect(rows()[0]).toEqual(['used', 'gives no JSON'])
  })
})

describe('lines, typed', () => {
  it('one a line, with their commas; the first that is wrong is said, and what stands there is told all the same', async () => {
    const parameter = watchKind('program-counters').parameters.find(({ name }) => name === 'counters')!
    const { page } = await show(ParameterEditor, { parameter, value: ['a = /a, bytes'] })
    const field = page.get('textarea')
    expect(field.element.value).toBe('a = /a, bytes')
    await field.setValue('a = /a, bytes\nb')
    expect(page.get('[role=alert]').text()).toContain('Write a name')
    await field.setValue('a = /a, bytes\n\n b = after "x, y" \n')
    await page.get('form').trigger('submit')
    expect(page.emitted('change')).toEqual([[['a = /a, bytes', 'b = after "x, y"']]])
  })
})
