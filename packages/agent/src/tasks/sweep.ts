import { reverse } from 'node:dns/promises'
import { connect } from 'node:net'
import type { SignInTrial } from '#contract/report'
import { hostsOf, type Answering } from '#core'
import { HostKey } from './reach/hostKey'
import { identify, identifyWindows } from './reach/identify'
import { wsmanPort } from './reach/wsmanPort'

/** Gentle with small routers: so many hosts at once, and so long for an answer. */
const atOnce = 16
const answerWithin = 700
const bannerWithin = 1000

/** Whether something accepts connections there, and, for SSH, how it introduces itself (RFC 4253, section 4.2). */
function probe(address: string, port: number, banner: boolean): Promise<{ open: boolean; banner: string | null }> {
  return new Promise((resolve) => {
    const socket = connect({ host: address, port })
    // For the whole of it: one that says a letter from time to time is not waited for either.
    let late = setTimeout(() => end(false), answerWithin)
    const end = (open: boolean, text: string | null = null) => {
      clearTimeout(late)
      socket.destroy()
      resolve({ open, banner: text })
    }
    socket.on('error', () => end(false))
    socket.on('connect', () => {
      if (!banner) return end(true)
      clearTimeout(late)
      late = setTimeout(() => end(true), bannerWithin)
      let text = ''
      socket.on('data', (chunk: Buffer) => {
        text += chunk.toString('latin1')
        if (text.includes('\n') || text.length > 255)
          end(
            true,
            text
              .split(/\r?\n/)[0]!
              .replace(/[^\x20-\x7e]/g, '')
              .slice(0, 255),
          )
      })
      socket.on('end', () => end(true, text || null))
    })
  })
}

/** Whether something accepts connections there. */
export async function isOpen(address: string, port: number): Promise<boolean> {
  return (await probe(address, port, false)).open
}

async function nameOf(address: string): Promise<string | null> {
  const names = await Promise.race([
    reverse(address).catch(() => []),
    new Promise<string[]>((resolve) => setTimeout(() => resolve([]), 1500).unref()),
  ])
  return names[0]?.slice(0, 255) ?? null
}

/** Where to sign in with what, where SSH answers. */
export interface Looking {
  trials: readonly SignInTrial[]
  /** By address, the keys that somebody has accepted. */
  hostKeys: Readonly<Record<string, string>>
  passwordsToUnknown: boolean
}

async function look(
  address: string,
  ports: readonly number[],
  { trials, hostKeys, passwordsToUnknown }: Looking,
): Promise<Answering | null> {
  const answers = await Promise.all(ports.map(async (port) => ({ port, ...(await probe(address, port, port === 22)) })))
  const seen = answers.filter((answer) => answer.open)
  if (!seen.length) return null
  const isThere = (port: number) => trials.length > 0 && seen.some((answer) => answer.port === port)
  const key = new HostKey(hostKeys[address] ?? null, passwordsToUnknown)
  const signedIn = isThere(22)
    ? await identify(address, trials, key)
    : isThere(wsmanPort)
      ? await identifyWindows(address, trials, key)
      : null
  return {
    address,
    name: await nameOf(address),
    ports: seen.map((answer) => answer.port),
    banner: seen.find((answer) => answer.banner !== null)?.banner ?? null,
    signedIn,
  }
}

export interface SweepProgress {
  scanned: number
  total: number
  found: Answering | null
}

/** Probes every host of a network, some at once, and reports after each. */
export async function sweep(
  network: string,
  ports: readonly number[],
  report: (progress: SweepProgress) => Promise<void>,
  looking: Looking = { trials: [], hostKeys: {}, passwordsToUnknown: false },
): Promise<void> {
  const hosts = hostsOf(network)
  let next = 0
  let scanned = 0
  const walk = async (): Promise<void> => {
    for (let i = next++; i < hosts.length; i = next++) {
      const found = await look(hosts[i]!, ports, looking)
      scanned++
      await report({ scanned, total: hosts.length, found })
    }
  }
  await Promise.all(Array.from({ length: Math.min(atOnce, hosts.length) }, walk))
}
