import { describe, expect, it } from 'vitest'
import { libraryTemplates } from './library'
import { levelFaults, templateFaults, valueFaults, type WatchSpec } from './template'

const watch: WatchSpec = { key: 'disk', kind: 'disk-space', name: 'Disk', why: '', osFamilies: [], values: {} }

describe('what is wrong with a template', () => {
  it('is said at the parameter', () => {
    expect(valueFaults('disk-space', { 'warning.percent': 7 })).toEqual([
      { at: 'warning.percent', message: 'Warning below must lie between 0 % and 100 %; 700 % does not.' },
    ])
    expect(valueFaults('disk-space', { wraning: 1 })[0]!.message).toContain('no parameter “wraning”')
    expect(levelFaults('cpu-busy', { warning: 0.9, critical: 0.8 })[0]!.at).toBe('critical')
  })
  it('and keys may not be used twice', () => {
    expect(templateFaults([watch, watch])[0]!.message).toContain('used twice')
  })
  it('nothing, for the templates to start from', () => {
    for (const starter of libraryTemplates) expect(templateFaults(starter.watches)).toEqual([])
  })
})
