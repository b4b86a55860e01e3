import { spawn, type ChildProcess } from 'node:child_process'
import { durationText, type Millis } from '#core'

const mostOutput = 8 * 1024 * 1024

/** In the C locale, so that its words are the documented ones. */
export const plainEnvironment = (): NodeJS.ProcessEnv => ({
  ...process.env,
  LC_ALL: 'C',
  DEBIAN_FRONTEND: 'noninteractive',
})

/** Ends a program with all that it has started: it leads a process group of its own. */
export function endGroup(child: ChildProcess): void {
  try {
    if (child.pid !== undefined) process.kill(process.platform === 'win32' ? child.pid : -child.pid, 'SIGKILL')
  } catch {
    // It has just ended.
  }
}

/**
 * What a program said last, which is why it failed; without the hints of systemctl(1) at what else to read, behind
 * which the reason would be lost.
 */
export function reasonOf(errors: string): string {
  const lines = errors
    .trim()
    .split('\n')
    .map((line) => line.trim())
  return lines.filter((line) => !/^(See system logs and|See "systemctl|Hint:)/.test(line)).pop() ?? lines.pop() ?? ''
}

/** How a program ended, and what it said. */
export interface Ended {
  status: number
  output: string
  /** Its last words on stderr. */
  words: string
}

/**
 * Runs a program of the system whose exit status says more than whether it went well. Rejects where it cannot be run,
 * is ended by a signal, or does not end in its time.
 */
export function commandEnded(program: string, args: readonly string[], timeout: Millis = 30_000): Promise<Ended> {
  return new Promise((resolve, reject) => {
    const child = spawn(program, args, {
      detached: process.platform !== 'win32',
      windowsHide: true,
      stdio: ['ignore', 'pipe', 'pipe'],
      env: plainEnvironment(),
    })
    const named = `${program} ${args[0] ?? ''}`
    const stdout: Buffer[] = []
    let length = 0
    let words = ''
    const give = (reason: string) => {
      clearTimeout(late)
      endGroup(child)
      // What it has started may still hold its output open; nobody waits for that.
      child.stdout.destroy()
      child.stderr.destroy()
      reject(new Error(`${named}: ${reason}`))
    }
    const late = setTimeout(() => give(`it did not end within ${durationText(timeout)}`), timeout)
    child.stdout.on('data', (chunk: Buffer) => {
      stdout.push(chunk)
      length += chunk.length
      if (length > mostOutput) give('it said more than 8 MB')
    })
    child.stderr.on('data', (chunk: Buffer) => {
      words = (words + chunk.toString('utf8')).slice(-4000)
    })
    child.on('error', (error) => give(error.message))
    child.on('close', (code, signal) => {
      clearTimeout(late)
      if (code === null) reject(new Error(`${named}: ${reasonOf(words) || `ended by ${signal}`}`))
      else resolve({ status: code, output: Buffer.concat(stdout).toString('utf8'), words })
    })
  })
}

/** Runs a program of the system. Rejects with its last words, and when it does not end in its time. */
export async function command(program: string, args: readonly string[], timeout: Millis = 30_000): Promise<string> {
  const { status, output, words } = await commandEnded(program, args, timeout)
  if (status === 0) return output
  throw new Error(`${program} ${args[0] ?? ''}: ${reasonOf(words) || `exit status ${status}`}`)
}
