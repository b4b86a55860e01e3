import { createHash } from 'node:crypto'
import { createReadStream, existsSync, readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { releaseKeysSchema, signedSchema, type ReleaseView, type SignedText } from '#contract'
import { byVersion } from '#core'
import type { FastifyInstance } from 'fastify'
import { ProblemError } from '../../../http/problems'
import { route } from '../../../http/route'

export const architectures = ['x64', 'arm64'] as const
type Architecture = (typeof architectures)[number]
const fileName = (arch: Architecture) => `custode-agent-linux-${arch}.gz`
/** What the holder of the release key has said of a file lies beside it; without, no agent would run it. */
export const statementFile = (file: string) => `${file}.signed`
const isVersion = /^\d+\.\d+\.\d+[\w.-]{0,30}$/

async function sha256(file: string): Promise<string> {
  const hash = createHash('sha256')
  await pipeline(createReadStream(file), hash)
  return hash.digest('hex')
}

/**
 * The packaged agents in a folder: the current one, whose version stands in the file `version`, and others below
 * `releases/<version>`, each with its release statement. What is put there while the server runs counts at once.
 * Without a folder there are none.
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
    const file =
      version === this.current
        ? join(this.folder, fileName(arch))
        : join(this.folder, 'releases', version, fileName(arch))
    return existsSync(file) && existsSync(statementFile(file)) ? file : null
  }

  /** Changes of the release key, the first one first, each signed with the key before. */
  keyChanges(): SignedText[] {
    const file = join(this.folder, 'release-keys.json')
    return this.folder && existsSync(file) ? (JSON.parse(readFileSync(file, 'utf8')) as SignedText[]) : []
  }

  /** Newest first. */
  list(): ReleaseView[] {
    const kept = join(this.folder, 'releases')
    const { current } = this
    const versions = new Set([
      ...(current ? [current] : []),
      ...(this.folder && existsSync(kept) ? readdirSync(kept) : []),
    ])
    return [...versions]
      .map((version) => ({
        version,
        architectures: architectures.filter((arch) => this.fileOf(version, arch)) as string[],
      }))
      .filter((release) => release.architectures.length)
      .sort((a, b) => byVersion(b.version, a.version))
  }

  /** SHA-256 in hexadecimal digits; worked out once for as long as the file stays. */
  digest(file: string): Promise<string> {
    const key = `${file} ${statSync(file).mtimeMs}`
    let digest = this.#digests.get(key)
    if (!digest) this.#digests.set(key, (digest = sha256(file)))
    return digest
  }
}

/**
 * Like the agent itself the same for everybody, and without a secret; agents take nothing that the release key has not
 * signed.
 */
export function serveReleases(app: FastifyInstance, releases: Releases): void {
  const fileAt = (params: unknown) => {
    const { version, file: name } = params as { version: string; file: string }
    const arch = architectures.find((architecture) => name === fileName(architecture))
    const file = arch ? releases.fileOf(version, arch) : null
    if (!file) throw new ProblemError('no-such-program')
    return file
  }
  route(app, {
    method: 'GET',
    url: '/agent/releases/:version/:file',
    access: 'public',
    summary: 'The packaged agent of one version',
    answer: { media: 'application/gzip' },
    handle({ request, reply }) {
      const file = fileAt(request.params)
      void reply.type('application/gzip').header('content-length', statSync(file).size)
      return createReadStream(file)
    },
  })
  route(app, {
    method: 'GET',
    url: '/agent/releases/:version/:file/statement',
    access: 'public',
    summary: 'What the holder of the release key says of it',
    answer: signedSchema,
    handle: ({ request }) => JSON.parse(readFileSync(statementFile(fileAt(request.params)), 'utf8')) as SignedText,
  })
  route(app, {
    method: 'GET',
    url: '/agent/release-keys',
    access: 'public',
    summary: 'Changes of the release key, each signed with the one before',
    answer: releaseKeysSchema,
    handle: () => releases.keyChanges(),
  })
}
