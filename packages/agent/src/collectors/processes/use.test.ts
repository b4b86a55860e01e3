import { spawn } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { assert, integer, property, record, array } from 'fast-check'
import { describe, expect, it } from 'vitest'
import { parseOwnMemory, parseProcess } from '../linux/processes'
import { plainName, timeBetween, usesOf, type SeenProcess } from './use'

const seen = (pid: number, own: number, more: Partial<SeenProcess> = {}): SeenProcess => ({
  pid,
  parent: 1,
  name: `p${pid}`,
  called: `p${pid}`,
  started: pid,
  own,
  ended: 0,
  resident: 0,
  ...more,
})
const look = (...list: SeenProcess[]) => new Map(list.map((one) => [one.pid, one]))
const between = (before: SeenProcess[], now: SeenProcess[]) =>
  Object.fromEntries(timeBetween(look(...before), look(...now)))

describe('/proc/PID/stat', () => {
  it.each([
    ['worker-17', 'worker'],
    ['kworker/u8:3', 'kworker/u8'],
    ['python3', 'python3'],
    ['php-fpm7.4', 'php-fpm7'],
    ['tmux: server', 'tmux: server'],
    ['a) R 1 (b', 'a) R 1 (b'],
    ['\u0007\u001b[1m', '[1m'],
    ['42', '42'],
    ['Rückgrat-Über\ufffd', 'Rückgrat-Über'],
    ['-1', 'without a name'],
    ['', 'without a name'],
  ])('calls %j %j', (name, plain) => {
    const parsed = parseProcess(`77 (${name}) S 1 77 77 0 -1 4194304 0 0 0 0 5 6 7 8 20 0 1 0 99 1 10`, 4096)
    expect(parsed).toEqual({
      pid: 77,
      parent: 1,
      name: plain,
      called: name,
      started: 99,
      own: 11,
      ended: 15,
      resident: 40_960,
    })
    expect(plainName('x'.repeat(300))).toHaveLength(60)
  })
  it('a name in any letters comes as it is, with what the kernel cut off of its last one left out', () => {
    // It keeps fifteen bytes of a name (prctl(2), PR_SET_NAME); here the fifteenth is the first half of a letter.
    const child = spawn('/bin/sh', ['-c', 'printf %s wächter-grüxße > /proc/$$/comm; read x'])
    const stat = () => parseProcess(readFileSync(`/proc/${child.pid}/stat`, 'utf8'), 4096)
    return expect
      .poll(() => stat().name)
      .toBe('wächter-grüx')
      .finally(() => child.kill('SIGKILL'))
  })
  it('of this very process says what Node says of it', () => {
    const parsed = parseProcess(readFileSync('/proc/self/stat', 'utf8'), 4096)
    expect(parsed).toMatchObject({ pid: process.pid, parent: process.ppid })
    const { user, system } = process.cpuUsage()
    // In hundredths of a second on every Linux that Debian makes (sysconf(_SC_CLK_TCK)).
    expect(Math.abs(parsed.own * 10_000 - user - system)).toBeLessThan(100_000)
    const own = parseOwnMemory(readFileSync('/proc/self/statm', 'utf8'), 4096)
    const anonymous = Number(/^RssAnon:\s+(\d+) kB$/m.exec(readFileSync('/proc/self/status', 'utf8'))![1]) * 1024
    expect(Math.abs(own - anonymous)).toBeLessThan(16 * 1024 ** 2)
  })
  it('threads of the kernel are of one name', () => {
    const line = '12 (ksoftirqd/0) S 2 0 0 0 -1 69238848 0 0 0 0 0 3 0 0 20 0 1 0 4 0 0'
    expect(parseProcess(line, 4096).name).toBe('kernel threads')
  })
})

describe('processor time between two looks', () => {
  it('is what was added; of a new process all of it; one with the number of another begins anew', () => {
    expect(between([seen(5, 10)], [seen(5, 14), seen(6, 3)])).toEqual({ p5: 4, p6: 3 })
    expect(between([seen(5, 10)], [seen(5, 2, { started: 77 })])).toEqual({ p5: 2 })
  })
  it('of those that came and went counts with the one that started them', () => {
    expect(between([seen(5, 10)], [seen(5, 10, { ended: 30 })])).toEqual({ p5: 30 })
  })
  it('of one that ended counts only since it was last seen', () => {
    const child = seen(6, 20, { parent: 5 })
    expect(between([seen(5, 10), child], [seen(5, 10, { ended: 25 })])).toEqual({ p5: 5 })
    // Nobody waited for it: nothing came to the parent, and nothing is taken from it.
    expect(between([seen(5, 10), child], [seen(5, 12)])).toEqual({ p5: 2 })
  })
  it('adds up to all that was used, whoever starts whom and ends when', () => {
    interface Step {
      who: number
      does: number
      time: number
    }
    const steps = array(
      record<Step>({
        who: integer({ min: 0, max: 50 }),
        does: integer({ min: 0, max: 3 }),
        time: integer({ min: 1, max: 9 }),
      }),
      { maxLength: 60 },
    )
    assert(
      property(steps, steps, (first, second) => {
        const machine = new Map<number, SeenProcess>([[1, seen(1, 0, { parent: 0 })]])
        let next = 2
        let used = 0
        const run = (list: readonly Step[]) => {
          for (const { who, does, time } of list) {
            const one = [...machine.values()][who % machine.size]!
            if (does === 0) machine.set(next, seen(next++, 0, { parent: one.pid }))
            else if (does === 1 && one.pid !== 1 && ![...machine.values()].some(({ parent }) => parent === one.pid)) {
              // It ends, and its parent waits for it (wait4(2)): all its time is added there.
              const parent = machine.get(one.parent)!
              machine.set(parent.pid, { ...parent, ended: parent.ended + one.own + one.ended })
              machine.delete(one.pid)
            } else {
              machine.set(one.pid, { ...one, own: one.own + time })
              used += time
            }
          }
        }
        run(first)
        const before = new Map(machine)
        used = 0
        run(second)
        const sum = [...timeBetween(before, machine).values()].reduce((a, b) => a + b, 0)
        expect(sum).toBe(used)
      }),
      { numRuns: 500 },
    )
  })
})

it('memory is asked of those alone whose name may come to the top', () => {
  const asked: number[] = []
  const now = look(
    seen(2, 5, { name: 'web', resident: 60 }),
    seen(3, 5, { name: 'web', resident: 60 }),
    seen(4, 9, { resident: 99 }),
  )
  const uses = usesOf(look(), now, 100, 100, ({ pid }) => asked.push(pid) * 0 + 40)
  expect(uses).toEqual([
    { name: 'web', cpu: 0.1, memory: 80, count: 2 },
    { name: 'p4', cpu: 0.09, memory: 0, count: 1 },
  ])
  expect(asked).toEqual([2, 3])
})
