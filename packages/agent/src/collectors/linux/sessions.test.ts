import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, it } from 'vitest'
import { closedBy, parseSessions, slowestWay } from './sessions'

const block = (more: Readonly<Record<string, string>>) =>
  Object.entries({
    Id: '4',
    Name: 'mireille',
    Timestamp: 'Tue 2026-12-01 02:26:43 UTC',
    Remote: 'no',
    RemoteHost: '',
    Type: 'tty',
    Class: 'user',
    State: 'active',
    ...more,
  })
    .map(([name, value]) => `${name}=${value}`)
    .join('\n')
const since = Date.UTC(2026, 11, 1, 2, 26, 43)

it.each<[string, Record<string, string>, object[]]>([
  ['on the console', {}, [{ id: '4', user: 'mireille', kind: 'console', since, from: '' }]],
  ['from elsewhere', { Remote: 'yes', RemoteHost: '198.18.0.1' }, [{ kind: 'terminal', from: '198.18.0.1' }]],
  ['with a desktop', { Type: 'wayland', State: 'online' }, [{ kind: 'desktop' }]],
  ['a desktop from afar', { Type: 'x11', Remote: 'yes', RemoteHost: 'shop-3' }, [{ kind: 'desktop', from: 'shop-3' }]],
  ['a name with an equals sign', { Name: 'a=b' }, [{ user: 'a=b' }]],
  ['the greeter is nobody', { Class: 'greeter' }, []],
  ['what logind runs for somebody is no session', { Class: 'manager' }, []],
  ['one that is over, but for a program', { State: 'closing' }, []],
  ['without a time it is just being made', { Timestamp: '' }, []],
])('%s', (_, more, expected) => {
  expect(parseSessions(`${block(more)}\n`)).toMatchObject(expected)
})
it('several, and none', () => {
  expect(parseSessions(`${block({})}\n\n${block({ Id: 'c1' })}\n`).map(({ id }) => id)).toEqual(['4', 'c1'])
  expect(parseSessions('')).toEqual([])
})
it('the longest way among connections', () => {
  const line = (rtt: string) =>
    `0 0 198.18.0.2:22 198.18.0.1:51234\n\t cubic wscale:7,7 rto:204 rtt:${rtt} ato:40 mss:1448 minrtt:0.02`
  expect(slowestWay(`${line('0.143/0.06')}\n${line('161.5/12.1')}\n`)).toBe(161.5)
  expect(slowestWay('')).toBeNull()
})
it('is closed to others while a file says so', () => {
  const root = mkdtempSync(join(tmpdir(), 'custode-sessions-'))
  const file = join(root, 'nologin')
  expect(closedBy([file])).toBeNull()
  writeFileSync(file, 'System is going\ndown.\n')
  expect(closedBy([file])).toBe('System is going down.')
  writeFileSync(file, '')
  expect(closedBy([file])).toBe(`there is ${file}`)
  rmSync(root, { recursive: true })
})
