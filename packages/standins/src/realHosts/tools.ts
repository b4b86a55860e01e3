import { spawn } from 'node:child_process'

export interface Done {
  code: number
  stdout: string
  stderr: string
}

export interface RunOptions {
  input?: string
  /** In milliseconds; the whole process group is ended then. */
  timeout?: number
  env?: Record<string, string>
}

/** Runs a program to its end, whatever its exit code. */
export function runTool(
  program: string,
  args: readonly string[],
  { input = '', timeout = 120_000, env }: RunOptions = {},
): Promise<Done> {
  return new Promise((resolve, reject) => {
    const child = spawn(program, args, { detached: true, stdio: ['pipe', 'pipe', 'pipe'], ...(env ? { env } : {}) })
    const stdout: Buffer[] = []
    const stderr: Buffer[] = []
    child.stdout.on('data', (chunk: Buffer) => stdout.push(chunk))
    child.stderr.on('data', (chunk: Buffer) => stderr.push(chunk))
    const late = setTimeout(() => {
      try {
        process.kill(-child.pid!, 'SIGKILL')
      } catch {
        // It has just ended.
      }
    }, timeout)
    child.on('error', reject)
    child.on('close', (code) => {
      clearTimeout(late)
      resolve({
        code: code ?? 128,
        stdout: Buffer.concat(stdout).toString('utf8'),
        stderr: Buffer.concat(stderr).toString('utf8'),
      })
    })
    child.stdin.on('error', () => undefined)
    child.stdin.end(input)
  })
}

/** The same, for a program that must succeed. @throws Error with its last words */
export async function tool(program: string, ...args: string[]): Promise<string> {
  const { code, stdout, stderr } = await runTool(program, args)
  if (code !== 0)
    throw new Error(`${program} ${args.join(' ')}: ${stderr.trim().split('\n').pop() || `exit status ${code}`}`)
  return stdout
}
