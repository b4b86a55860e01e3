import { execFile } from 'node:child_process'

/** Runs a program of the system in the C locale, so that its words are the documented ones. Rejects with its last words. */
export function command(program: string, args: readonly string[], timeout = 60_000): Promise<string> {
  return new Promise((resolve, reject) => {
    execFile(program, args, { timeout, maxBuffer: 16 * 1024 * 1024, env: { ...process.env, LC_ALL: 'C', DEBIAN_FRONTEND: 'noninteractive' } }, (error, stdout, stderr) => {
      if (error) reject(new Error(`${program} ${args[0] ?? ''}: ${stderr.trim().split('\n').pop() || error.message}`))
      else resolve(stdout)
    })
  })
}
