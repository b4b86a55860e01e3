import { execFileSync } from 'node:child_process'
import { chmodSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { runInNewContext } from 'node:vm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Service, ServiceAction } from '#core'
import { reasonOf } from '../collectors/command'
import { rightsScript } from '../install/polkit'
import { actOnService, type ServiceHands } from './service'

const service = (name: string, state: Service['state']): Service => ({ name, title: '', start: 'automatic', state })
/** A machine in memory: what the list says changes when something is done. */
function machine(before: Service[], done: (services: Service[], action: ServiceAction) => Service[]): ServiceHands {
  let now = before
  return {
    list: () => Promise.resolve(now),
    act: (action) => {
      now = done(now, action)
      return Promise.resolve()
    },
  }
}
const start = (name: string) => ({ kind: 'service' as const, verb: 'start' as const, service: name })

describe('a service that an agent is asked to start', () => {
  it('is started, and told as it was before and is after', async () => {
    const hands = machine([service('nginx', 'stopped')], () => [service('nginx', 'running')])
    expect(await actOnService(start('nginx'), hands)).toEqual({
      state: 'done',
      before: 'stopped',
      after: 'running',
      reason: '',
      hopeless: false,
    })
  })
  it('has failed when it does not come up, with the system’s own words where there are any', async () => {
    expect(
      await actOnService(
        start('nginx'),
        machine([service('nginx', 'stopped')], (all) => all),
        20,
      ),
    ).toMatchObject({ state: 'failed', after: 'stopped', reason: 'it did not start within 0.02 s', hopeless: false })
    const refusing: ServiceHands = {
      list: () => Promise.resolve([service('nginx', 'stopped')]),
      act: () => Promise.reject(new Error('Job for nginx.service failed.')),
    }
    expect(await actOnService(start('nginx'), refusing)).toMatchObject({
      state: 'failed',
      reason: 'Job for nginx.service failed.',
      hopeless: false,
    })
  })
  it('is not tried again where rights are missing, where there is no such service, and never the agent itself', async () => {
    const forbidden: ServiceHands = {
      list: () => Promise.resolve([service('nginx', 'stopped')]),
      act: () => Promise.reject(new Error('Failed to start nginx.service: Interactive authentication required.')),
    }
    expect(await actOnService(start('nginx'), forbidden)).toMatchObject({ state: 'failed', hopeless: true })
    const untouched = machine([service('custode-agent', 'running')], () => {
      throw new Error('touched')
    })
    expect(await actOnService(start('x; reboot'), untouched)).toMatchObject({
      hopeless: true,
      reason: 'there is no service “x; reboot” here',
    })
    expect(await actOnService({ kind: 'service', verb: 'stop', service: 'custode-agent' }, untouched)).toMatchObject({
      hopeless: true,
      reason: 'an agent does not stop itself',
    })
  })
})

describe('on this machine, by service(8) and a script of the Linux Standard Base', () => {
  const name = `custode-test-${process.pid}`
  const script = `/etc/init.d/${name}`
  const flag = `/tmp/${name}.runs`
  const status = () =>
    execFileSync('/usr/sbin/service', ['--status-all'], { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] })
      .split('\n')
      .find((line) => line.includes(name))
  beforeAll(() => {
    // LSB Core 5.0, part “Init Script Actions”: status exits with 0 when it runs and with 3 when it does not.
    writeFileSync(
      script,
      `#!/bin/sh\ncase "$1" in start) touch ${flag};; stop) rm -f ${flag};; restart) touch ${flag};; status) [ -e ${flag} ] && echo running || { echo stopped; exit 3; };; esac\n`,
    )
    chmodSync(script, 0o755)
  })
  afterAll(() => {
    for (const file of [script, flag]) rmSync(file, { force: true })
  })

  it('a stopped one is started, then stopped; service(8) says the same', async () => {
    expect(await actOnService(start(name))).toMatchObject({ state: 'done', before: 'stopped', after: 'running' })
    expect([existsSync(flag), status()]).toEqual([true, ` [ + ]  ${name}`])
    expect(await actOnService({ kind: 'service', verb: 'stop', service: name })).toMatchObject({
      state: 'done',
      before: 'running',
      after: 'stopped',
    })
    expect([existsSync(flag), status()]).toEqual([false, ` [ - ]  ${name}`])
    // Some scripts of a machine take their time to say how they are.
  }, 180_000)
})

it('why a program failed is its last word, and not where systemctl says to read on', () => {
  // As systemctl of systemd 252 says it where polkit refuses (read on a real host).
  const refused = `Failed to start late-comer.service: Access denied\nSee system logs and 'systemctl status late-comer.service' for details.\n`
  expect(reasonOf(refused)).toBe('Failed to start late-comer.service: Access denied')
  expect([reasonOf('one\ntwo\n'), reasonOf(''), reasonOf('Hint: look')]).toEqual(['two', '', 'Hint: look'])
})

describe('the rule for polkit', () => {
  const folder = mkdtempSync(join(tmpdir(), 'custode-rights-'))
  const rules = join(folder, '50.rules')
  afterAll(() => {
    rmSync(folder, { recursive: true })
  })
  /**
   * The script run on a machine with these services; whether it is held to systemd's own words is seen on real hosts.
   */
  function write(files: string, units: string): string {
    writeFileSync(
      join(folder, 'systemctl'),
      `#!/bin/sh\ncase $1 in list-unit-files) printf '${files}' ;; list-units) printf '${units}' ;; esac\n`,
      { mode: 0o755 },
    )
    writeFileSync(join(folder, 'rights'), rightsScript)
    execFileSync('sh', [join(folder, 'rights'), rules], { env: { PATH: `${folder}:${process.env.PATH}` } })
    return existsSync(rules) ? readFileSync(rules, 'utf8') : ''
  }
  const decide = (text: string, id: string, user: string, unit: string, verb: string): string => {
    let rule!: (action: object, subject: object) => string
    runInNewContext(text, {
      polkit: {
        Result: { YES: 'yes', NO: 'no', NOT_HANDLED: 'not handled' },
        addRule: (added: typeof rule) => {
          rule = added
        },
      },
    })
    return rule({ id, lookup: (what: string) => ({ unit, verb })[what] }, { user })
  }
  const manage = 'org.freedesktop.systemd1.manage-units'

  it('is not written where it was removed', () => {
    expect(write('nginx.service enabled\\n', '')).toBe('')
  })
  it('lets the agent’s user start and stop the machine’s own services, nothing else, and says nothing of others', () => {
    writeFileSync(rules, '')
    const text = write(
      'nginx.service enabled enabled\\ngetty@.service enabled\\nsystemd-reboot.service static\\ndebug-shell.service disabled\\n',
      '● failed-one.service loaded failed failed A title\\n  getty@tty1.service loaded active running Getty\\n',
    )
    for (const unit of ['nginx', 'failed-one', 'getty@tty1'])
      expect([unit, decide(text, manage, 'custode-agent', `${unit}.service`, 'start')]).toEqual([unit, 'yes'])
    for (const unit of [
      'other.service',
      'getty@.service',
      'getty@tty9.service',
      'systemd-reboot.service',
      'debug-shell.service',
      'poweroff.target',
      'nginx.service.service',
      '',
    ])
      expect([unit, decide(text, manage, 'custode-agent', unit, 'start')]).toEqual([unit, 'no'])
    expect(decide(text, manage, 'custode-agent', 'nginx.service', 'set-property')).toBe('no')
    expect(decide(text, 'org.freedesktop.login1.reboot', 'custode-agent', '', '')).toBe('not handled')
    expect(decide(text, manage, 'somebody', 'nginx.service', 'start')).toBe('not handled')
  })
  it('stays as it is where nothing has changed, and where the services are not told', () => {
    const before = readFileSync(rules, 'utf8')
    const { mtimeMs } = statSync(rules)
    expect(
      write(
        'nginx.service enabled enabled\\ngetty@.service enabled\\nsystemd-reboot.service static\\ndebug-shell.service disabled\\n',
        '● failed-one.service loaded failed failed A title\\n  getty@tty1.service loaded active running Getty\\n',
      ),
    ).toBe(before)
    expect(write('', '')).toBe(before)
    expect([statSync(rules).mtimeMs, readdirSync(folder).sort()]).toEqual([
      mtimeMs,
      ['50.rules', 'rights', 'systemctl'],
    ])
  })
})
