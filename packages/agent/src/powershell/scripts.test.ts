import { describe, expect, it } from 'vitest'
import { powershellFaults } from '../../../standins/src/powershellGrammar'
import { faultOf, taskXml } from '../install/windows'
import { inventoryScript, snapshotScript, servicesScript } from '../collectors/windows/snapshot'
import { insideScript, installCall, ownerScript, readerScript, serviceScript, surveyScript } from './scripts'
import { protectionScript } from '../collectors/windows/protection'
import { replicationScript } from '../collectors/windows/replication'
import { sessionsScript } from '../collectors/windows/sessions'
import { updatesScript } from '../collectors/windows/updates'

const nasty = [`a'; Stop-Computer; '`, 'a’; Stop-Computer', '$(Stop-Computer)', '`"', "'@", '\n', '']
const wide = nasty.map((text, i) => [`Log ${i} ${text}`, i % 2 ? i : null] as const)

describe('the texts that go to PowerShell are PowerShell, by a grammar of the language (tree-sitter)', () => {
  it.each<[string, string]>([
    ['what is looked at each time', snapshotScript({ System: 12, Application: null })],
    ['logs with names of every kind', snapshotScript(Object.fromEntries(wide))],
    ['no logs', snapshotScript({})],
    ['what is looked at seldom', inventoryScript],
    ['services', servicesScript],
    ['updates', updatesScript],
    ['protection', protectionScript],
    ['sessions', sessionsScript],
    ['replication', replicationScript],
    ['what is inside', insideScript],
    ['the survey', surveyScript],
    ['the reader', readerScript],
    ...(['start', 'stop', 'restart'] as const).map(
      (verb) => [verb, serviceScript({ verb, service: 'Spooler' })] as [string, string],
    ),
    ...nasty.flatMap((text): [string, string][] => [
      [`a service named ${text}`, serviceScript({ verb: 'start', service: text })],
      [`a folder named ${text}`, ownerScript(text)],
      [`a machine named ${text}`, installCall(text, 'key', text)],
    ]),
  ])('%s', async (_, script) => {
    expect(await powershellFaults(script)).toEqual([])
  })
  it('and what is none is found out', async () => {
    expect(await powershellFaults('if ($x) {\n  Get-Foo -Bar "a\n}')).not.toEqual([])
    expect(await powershellFaults(serviceScript({ verb: 'start', service: 'Spooler' }).replace(/'$/, ''))).not.toEqual(
      [],
    )
  })
})

describe('the folder of the agent in ProgramData', () => {
  const folder = 'C:\\ProgramData\\Custode Agent'
  const good = { isLink: false, owner: 'S-1-5-32-544', isFresh: true, names: [] }
  it.each([
    ['made by an administrator', good, null],
    ['of an agent that was installed before', { ...good, isFresh: false, names: ['identity.json'] }, null],
    ['made by the system', { ...good, owner: 'S-1-5-18' }, null],
    ['made by a user', { ...good, isFresh: false, owner: 'S-1-5-21-1-2-3-1001' }, 'belongs to S-1-5-21-1-2-3-1001'],
    ['whose owner is not told', { ...good, owner: '' }, 'belongs to'],
    ['that is a junction', { ...good, isFresh: false, isLink: true }, 'leads elsewhere'],
    [
      'in which something lay when it was just made',
      { ...good, names: ['identity.json'] },
      'was given identity.json while it was made',
    ],
  ])('%s', (_, found, words) => {
    const fault = faultOf(folder, found)
    if (words === null) expect(fault).toBeNull()
    else expect(fault).toContain(words)
  })
})

it('the task begins again each minute, and is passed over while it runs', () => {
  const text = taskXml({ program: 'p', home: 'h' })
  expect(text).toContain('<Repetition><Interval>PT1M</Interval>')
  expect(text).toContain('<MultipleInstancesPolicy>IgnoreNew</MultipleInstancesPolicy>')
})
