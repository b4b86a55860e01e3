import { spawn } from 'node:child_process'
import { existsSync, openSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { join } from 'node:path'
import { root } from './place.mjs'
import { PlainError } from './say.mjs'

/**
 * @typedef {{ name: string, pid: number, stop: (signal?: NodeJS.Signals) => Promise<void>, ended: Promise<number |
 * null>, exited: () => boolean }} Running
 */

const programs = join(root, 'dist', 'programs')
export const programPath = (/** @type {string} */ name) => join(programs, `${name}.mjs`)
export const agentPath = join(root, 'dist', 'agent', 'custode-agent.mjs')

/**
 * Starts a program in a session of its own, so that Ctrl-C reaches only the launcher, which then stops all in order.
 * @param {string} place folder for its log and its process id
 * @param {string} name
 * @param {string[]} words arguments of node
 * @param {Record<string, string | undefined>} [env]
 * @returns {Running}
 */
export function start(place, name, words, env = {}) {
  const log = openSync(join(place, `${name}.log`), 'a', 0o600)
  const child = spawn(process.execPath, words, {
    detached: true,
    stdio: ['ignore', log, log],
    env: { ...process.env, ...env },
    cwd: '/',
  })
  const pid = /** @type {number} */ (child.pid)
  const file = join(place, `${name}.pid`)
  writeFileSync(file, String(pid))
  let over = false
  const ended = new Promise((/** @type {(code: number | null) => void} */ resolve) =>
    child.on('exit', (code) => {
      over = true
      rmSync(file, { force: true })
      resolve(code)
    }),
  )
  return {
    name,
    pid,
    ended,
    exited: () => over,
    async stop(signal = 'SIGTERM') {
      if (over) return
      child.kill(signal)
      const late = setTimeout(() => child.kill('SIGKILL'), 8000)
      await ended
      clearTimeout(late)
    },
  }
}

/** Ends what an earlier launcher left behind. @param {string} place @param {string[]} names */
export async function endLeftovers(place, names) {
  let count = 0
  for (const name of names) {
    const file = join(place, `${name}.pid`)
    if (!existsSync(file)) continue
    const pid = Number(readFileSync(file, 'utf8'))
    rmSync(file, { force: true })
    try {
      if (!readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(join(root, 'dist'))) continue
      process.kill(pid, 'SIGTERM')
      count++
      for (let i = 0; i < 100 && existsSync(`/proc/${pid}`); i++)
        await new Promise((resolve) => setTimeout(resolve, 50))
    } catch {
      /* it is gone already */
    }
  }
  return count
}

/** The launcher that runs a demo now, or null. @param {string} place */
export function launcherOf(place) {
  const file = join(place, 'launcher.pid')
  if (!existsSync(file)) return null
  const pid = Number(readFileSync(file, 'utf8'))
  try {
    return pid !== process.pid && readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('launcher/main.mjs')
      ? pid
      : null
  } catch {
    return null
  }
}

/** The last lines of a program's log, for a message. @param {string} place @param {string} name */
export function lastWords(place, name) {
  const file = join(place, `${name}.log`)
  return existsSync(file)
    ? readFileSync(file, 'utf8')
        .trim()
        .split('\n')
        .filter((line) => /error|port|cannot/i.test(line))
        .slice(-3)
        .join('\n')
    : ''
}

/** @param {number} port @param {string} what @param {string} variable */
export function requirePort(port, what, variable) {
  return new Promise((/** @type {(value: void) => void} */ resolve, reject) => {
    const probe = createServer()
    probe.once('error', (/** @type {NodeJS.ErrnoException} */ error) =>
      reject(
        new PlainError(
          error.code === 'EADDRINUSE'
            ? `Port ${port} (${what}) is in use by another program. Stop that, or choose another port: ${variable}=${port + 100} ./custode demo`
            : `Port ${port} (${what}) cannot be used: ${error.message}`,
        ),
      ),
    )
    probe.listen(port, '127.0.0.1', () => probe.close(() => resolve()))
  })
}

/** Waits until the server answers. @param {string} url @param {Running} server @param {string} place */
export async function untilServing(url, server, place) {
  for (let i = 0; i < 300; i++) {
    if (server.exited()) throw new PlainError(`The server did not start: ${lastWords(place, server.name)}`)
    const answer = await fetch(`${url}/api/session`).catch(() => null)
    if (answer?.status === 401) return
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  throw new PlainError(`The server did not answer within 30 s. Its log: ${join(place, 'server.log')}`)
}
