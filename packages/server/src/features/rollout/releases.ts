import { createHash } from 'node:crypto'
import { createReadStream, existsSync, readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import type { ReleaseFile, ReleaseView } from '#contract'
import { byVersion } from '#core'
import type { FastifyInstance } from 'fastify'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'

export const architectures = ['x64', 'arm64'] as const
type Architecture = (typeof architectures)[number]
const fileName = (arch: Architecture) => `custode-agent-linux-${arch}.gz`
const isVersion = /^\d+\.\d+\.\d+[\w.-]{0,30}$/

async function sha256(file: string): Promise<string> {
  const hash = createHash('sha256')
  await pipeline(createReadStream(file), hash)
  return hash.digest('hex')
}

/**
 * The packaged agents in a folder: the current one, whose version stands in the file `version`, and others below
 * `releases/<version>`. What is put there while the server runs counts at once. Without a folder there are none.
 */
export class Releases {
  readonly #digests = new Map<string, Promise<string>>()

  constructor(private readonly folder: string) {}

  /** The version of the agent that new machines get, or null. */
  get current(): string | null {
    const file = join(this.folder, 'version')
    return this.folder && existsSync(file) ? readFileSync(file, 'utf8').trim() : null
  }

  fileOf(version: string, arch: Architecture): string | null {
    if (!this.folder || !isVersion.test(version)) return null
    const file = version === this.current ? join(this.folder, fileName(arch)) : join(this.folder, 'releases', version, fileName(arch))
    return existsSync(file) ? file : null
  }

  /** Newest first. */
  list(): ReleaseView[] {
    const kept = join(this.folder, 'releases')
    const { current } = this
    const versions = new Set([...(current ? [current] : []), ...(this.folder && existsSync(kept) ? readdirSync(kept) : [])])
    return [...versions].map((version) => ({ version, architectures: architectures.filter((arch) => this.fileOf(version, arch)) as string[] }))
      .filter((one) => one.architectures.length).sort((a, b) => byVersion(b.version, a.version))
  }

  /** SHA-256 in hexadecimal digits; worked out once for as long as the file stays. */
  digest(file: string): Promise<string> {
    const key = `${file} ${statSync(file).mtimeMs}`
    let digest = this.#digests.get(key)
    if (!digest) this.#digests.set(key, digest = sha256(file))
    return digest
  }

  async files(version: string): Promise<Partial<Record<Architecture, ReleaseFile>>> {
    const files: Partial<Record<Architecture, ReleaseFile>> = {}
    for (const arch of architectures) {
      const file = this.fileOf(version, arch)
      if (file) files[arch] = { path: `/agent/releases/${version}/${fileName(arch)}`, sha256: await this.digest(file) }
    }
    return files
  }
}

/** Like the agent itself the same for everybody, and without a secret; agents take it by the digest of a signed order. */
export function handOutReleases(app: FastifyInstance, releases: Releases): void {
  route(app, {
    method: 'GET', url: '/agent/releases/:version/:file', access: 'public', summary: 'The packaged agent of one version', answer: { media: 'application/gzip' },
    handle({ request, reply }) {
      const { version, file: name } = request.params as { version: string; file: string }
      const arch = architectures.find((one) => name === fileName(one))
      const file = arch ? releases.fileOf(version, arch) : null
      if (!file) throw new ProblemError('not-found')
      void reply.type('application/gzip').header('content-length', statSync(file).size)
      return createReadStream(file)
    },
  })
}
