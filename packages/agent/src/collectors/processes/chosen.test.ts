import { spawn, execFileSync, type ChildProcess } from 'node:child_process'
import { userInfo } from 'node:os'
import { afterEach, describe, expect, it } from 'vitest'
import { hour, minute, second, type ProcessChoice, type Reading } from '#core'
import { parseUsers, processesCollector } from '../linux/processes'
import { chosenProcesses, Programs, programsOf } from './chosen'
import type { MachineLook, SeenProcess } from './use'

const choice = (more: Partial<ProcessChoice>): ProcessChoice => ({
  name: '',
  path: '',
  arguments: '',
  user: '',
  ...more,
})
const seen = (pid: number, called: string, more: Partial<SeenProcess> = {}): SeenProcess => ({
  pid,
  parent: 1,
  name: called,
  called,
  started: pid,
  own: 0,
  ended: 0,
  resident: 0,
  ...more,
})
const look = (total: number, ...list: SeenProcess[]): MachineLook => ({
  processes: new Map(list.map((process) => [process.pid, process])),
  busy: 0,
  total,
  memorySize: 1e9,
  memoryLeft: 1e9,
})
const valueOf = (readings: readonly Reading[], metric: string) => readings.find(([name]) => name === metric)?.[2]

describe('processes of a choice', () => {
  const nginx = [choice({ name: 'nginx' })]
  const own = ({ pid }: SeenProcess) => pid * 1000
  it('are counted, with what all use and what the most of one is, in shares of a core', () => {
    const before = look(1000, seen(1, 'nginx', { own: 100 }), seen(2, 'nginx', { own: 50 }))
    // 400 ticks of four cores: 100 of each.
    const now = look(1400, seen(1, 'nginx', { own: 180 }), seen(2, 'nginx', { own: 60 }), seen(3, 'nginx', { own: 30 }))
    expect(chosenProcesses(nginx, [before, now], 4, {}, own)).toEqual([
      ['process.count', 'nginx', 3],
      ['process.cpu', 'nginx', 1.2],
      ['process.cpu.most', 'nginx', 0.8],
      ['process.memory', 'nginx', 6000],
      ['process.memory.most', 'nginx', 3000],
    ])
  })
  it('none is a number; a first look knows no CPU; a number that another process has now is not the same', () => {
    const others = seen(9, 'other')
    expect(chosenProcesses(nginx, [look(1, others), look(2, others)], 1, {}, own).map(([, , value]) => value)).toEqual([
      0, 0, 0, 0, 0,
    ])
    expect(valueOf(chosenProcesses(nginx, [null, look(2)], 1, {}, own), 'process.cpu')).toBeUndefined()
    const again = [
      look(0, seen(7, 'nginx', { started: 1, own: 90 })),
      look(100, seen(7, 'nginx', { started: 2, own: 5 })),
    ]
    expect(valueOf(chosenProcesses(nginx, [again[0]!, again[1]!], 1, {}, own), 'process.cpu')).toBe(0.05)
  })
  it('a system that tells of no process at all does not know', () => {
    expect(chosenProcesses(nginx, [null, look(1)], 1, {}, own)).toEqual([])
  })
  it('what ended and waits to be taken away, and threads of the kernel, are none', () => {
    const now = look(1, seen(1, 'nginx', { hasEnded: true }), seen(2, 'nginx', { isKernel: true }))
    expect(valueOf(chosenProcesses(nginx, [null, now], 1, {}, own), 'process.count')).toBe(0)
  })
  it('of what the system does not tell nothing is said, and of the others is', () => {
    const now = look(1, seen(1, 'nginx'))
    const both = [choice({ name: 'nginx', user: 'www' }), ...nginx]
    expect(chosenProcesses(both, [null, now], 1, {}, own).map(([, name]) => name)).toEqual(['nginx', 'nginx', 'nginx'])
  })
  it('what runs for some minutes is there to pick from, each once, by its whole name and without its secrets', () => {
    const now = look(1, seen(1, 'systemd-journal'), seen(2, 'app'), seen(3, 'app'), seen(4, 'late'), seen(5, ''))
    const details = {
      path: ({ called }: SeenProcess) =>
        called === 'systemd-journal' ? '/lib/systemd/systemd-journald' : called && `/bin/${called}`,
      shown: ({ called }: SeenProcess) => `${called} --key ***`,
    }
    expect(programsOf(now, details, ({ pid }) => (pid === 4 ? second : 10 * minute)).programs).toEqual([
      { name: 'app', path: '/bin/app', arguments: 'app --key ***' },
      {
        name: 'systemd-journald',
        path: '/lib/systemd/systemd-journald',
        arguments: 'systemd-journal --key ***',
      },
    ])
  })
  it('is looked at once, when a machine that has just started has settled, then once an hour; and given each time', () => {
    const programs = new Programs()
    const looked: number[] = []
    for (let at = 0; at < 3 * hour; at += minute) {
      const given = programs.at(at, () => {
        looked.push(at / minute)
        return { programs: [{ name: `seen ${looked.length}` }] }
      })
      // What a server lost, or refused, is told again: it must be there.
      expect(given.programs).toEqual([{ name: `seen ${looked.length}` }])
    }
    expect(looked).toEqual([0, 3, 63, 123])
  })
})

describe('of this very machine', () => {
  let child: ChildProcess | undefined
  afterEach(() => child?.kill('SIGKILL'))
  it('what ps(1) and pgrep(1) say of a process: name, command line, user; and that it ended', async () => {
    child = spawn('/bin/sleep', ['1234.5'])
    const { username } = userInfo()
    const choices = [
      choice({ name: 'sleep', arguments: '*1234.5' }),
      choice({ path: '*/sleep', user: username, arguments: '*1234.5' }),
      choice({ name: 'sleep', user: 'nobody-at-all' }),
    ]
    const collector = processesCollector(() => choices)
    const counts = async () => {
      const { readings } = await collector.collect(Date.now())
      return readings!.filter(([metric]) => metric === 'process.count').map(([, , value]) => value)
    }
    await expect
      .poll(() => execFileSync('ps', ['-o', 'args=', '-p', String(child!.pid)], { encoding: 'utf8' }))
      .toContain('1234.5')
    expect(await counts()).toEqual([1, 1, 0])
    child.kill('SIGKILL')
    await expect.poll(counts).toEqual([0, 0, 0])
  })
  it('users are named as passwd(5) has them', () => {
    expect(parseUsers('root:x:0:0:root:/root:/bin/bash\n\nbroken\nwww-data:x:33:33::/:/x\n')).toEqual(
      new Map([
        [0, 'root'],
        [33, 'www-data'],
      ]),
    )
  })
})
