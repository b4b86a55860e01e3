import { spawn, execFileSync } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'

/**
 * `dailyLookMillis`: CPU until the first look for updates was done, start included; it happens once a day and is part
 * of the share.
 */
export interface AgentCost {
  reports: number
  dailyLookMillis: number
  cpuMillisPerReport: number
  cpuShareAt60s: number
  peakMegabytes: number
  residentMegabytes: number
}

const status = (pid: number, name: string) =>
  Number(new RegExp(`^${name}:\\s+(\\d+) kB`, 'm').exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1024

/**
 * CPU time of a process and of the programs it has run and waited for, in ms (proc_pid_stat(5): fields 14 to 17, in
 * ticks of 10 ms).
 */
function cpuMillis(pid: number): number {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8')
    .replace(/^.*\) /, '')
    .split(' ')
    .map(Number)
  return (fields[11]! + fields[12]! + fields[13]! + fields[14]!) * 10
}

/** Runs the real agent with a short interval, and reckons from the cost of one report what it would cost every 60 s. */
export async function agentCost(
  root: string,
  home: string,
  server: string,
  key: string,
  interval: number,
  seconds: number,
): Promise<AgentCost> {
  const program = join(root, 'dist/agent/custode-agent.mjs')
  execFileSync(program, ['enroll', '--server', server, '--key', key, '--home', home, '--name', 'bench-agent'])
  const child = spawn(program, ['run', '--home', home, '--no-refresh'], { stdio: 'ignore' })
  const pid = child.pid!
  for (let i = 0; !existsSync(join(home, 'updates-seen.json')); i++) {
    if (i > 600) throw new Error('the agent did not look for updates within two minutes')
    await wait(200)
  }
  const dailyLookMillis = cpuMillis(pid)
  // Reports of that time come to rest.
  await wait(3 * interval)
  const cpuBefore = cpuMillis(pid)
  const seqBefore = Number(readFileSync(join(home, 'sequence'), 'utf8'))
  await wait(seconds * 1000)
  const cpu = cpuMillis(pid) - cpuBefore
  const reports = Number(readFileSync(join(home, 'sequence'), 'utf8')) - seqBefore
  const cost = {
    reports,
    cpuMillisPerReport: cpu / reports,
    dailyLookMillis,
    cpuShareAt60s: cpu / reports / 60_000 + dailyLookMillis / 86_400_000,
    peakMegabytes: status(pid, 'VmHWM'),
    residentMegabytes: status(pid, 'VmRSS'),
  }
  child.kill()
  if (reports < (seconds * 1000) / interval / 2) throw new Error(`the agent made only ${reports} reports`)
  return cost
}
