import cookie from '@fastify/cookie'
import staticFiles from '@fastify/static'
import Fastify, { LogController, type FastifyInstance } from 'fastify'
import { existsSync } from 'node:fs'
import { minute } from '#core'
import type { Pool } from './db'
import { Engine } from './engine'
import { accessRoutes } from './features/access'
import { agentRoutes, collectorPrograms, serveAgent, serveCollectors } from './features/agents'
import { alertRoutes } from './features/alert'
import { calloutRoutes } from './features/callout'
import { clientRoutes } from './features/clients'
import { estateRoutes, lifecycleRoutes, serviceRoutes, updateRoutes } from './features/estate'
import { eventlogRoutes } from './features/eventlog'
import { healthRoutes } from './features/health'
import { maintenanceRoutes } from './features/maintenance'
import { policyRoutes } from './features/policy'
import { serveReleases, commandCompletion, Releases, rolloutRoutes } from './features/rollout'
import { reachRoutes } from './features/reach'
import { requestRoutes } from './features/requests'
import { seriesRoutes } from './features/series'
import { storageRoutes } from './features/storage'
import { guard } from './http/access'
import { readJsonBodies } from './http/body'
import { collectRoutes, describeApi } from './http/openapi'
import { answerFrameworkError, answerWithProblems, sendPage } from './http/problems'
import { readPublicAddress, refusePlainHttp, type PublicAddress } from './http/transport'
import { LiveHub } from './live'
import { noteFault } from './store/health'
import { openSigner } from './secrets/signer'
import { openVault, type Vault } from './secrets/vault'

export interface AppOptions {
  /** For what people ask. */
  pool: Pool
  /** For what agents ask, so that neither waits for the other; where it is not said, the same. */
  machines?: Pool
  databaseUrl: string
  /** The built web application; without it only the API is served. */
  webFolder?: string
  /** Folder of the packaged agents; without it none is handed out. */
  agentFolder?: string
  /** Where the keys lie that are not in the database; without it they live as long as the process. */
  keyFolder?: string
  /** What seals secrets; where it is not said, by the key of that folder. */
  vault?: Vault
  /** How it is reached; where it is not said, from this machine itself. */
  address?: PublicAddress
  /** Certificate and key (PEM), where the server speaks TLS itself. */
  tls?: { key: string; cert: string }
  /** Report interval that enrolled agents are told. */
  interval?: number
  /** A demo brings a history with windows in the past. */
  pastWindows?: boolean
  log?: boolean
}

/** Agents that are told nothing else report so often. */
const defaultInterval = minute

// Everything comes from this server; styles are set on elements by the component library.
const policy = `default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'`

/** What is asked with every report, and read once a minute. */
function forAMinute<T>(read: () => T): () => T {
  let known: { value: T; until: number } | null = null
  return () => {
    const now = performance.now()
    if (!known || now >= known.until) known = { value: read(), until: now + minute }
    return known.value
  }
}

export async function buildApp({
  pool,
  machines = pool,
  databaseUrl,
  webFolder,
  agentFolder,
  keyFolder,
  vault = openVault(keyFolder),
  address = readPublicAddress('http://127.0.0.1:7700'),
  tls,
  interval = defaultInterval,
  pastWindows = false,
  log = false,
}: AppOptions): Promise<FastifyInstance> {
  const app = Fastify({
    logger: log ? { level: 'info' } : false,
    logController: new LogController({ disableRequestLogging: true }),
    bodyLimit: 1024 * 1024,
    routerOptions: { maxParamLength: 200 },
    // A proxy on this machine tells who asks and by which scheme; nobody else is believed.
    trustProxy: 'loopback',
    ...(tls ? { https: tls } : {}),
    frameworkErrors: answerFrameworkError,
  })
  await app.register(cookie)
  const routes = collectRoutes(app)
  const hasWeb = webFolder !== undefined && existsSync(webFolder)
  answerWithProblems(app, hasWeb, (error) => void noteFault(pool, 'request', error))
  readJsonBodies(app)
  refusePlainHttp(app)
  guard(app, pool)
  app.addHook('onSend', async (request, reply) => {
    void reply.headers({
      'x-content-type-options': 'nosniff',
      'content-security-policy': policy,
      'referrer-policy': 'same-origin',
    })
    if (request.url.startsWith('/api/')) void reply.header('cache-control', 'no-store')
  })

  const live = new LiveHub(pool, databaseUrl)
  await live.start()
  app.addHook('onClose', () => live.stop())
  const signer = openSigner(keyFolder)
  const programs = collectorPrograms(agentFolder ?? '')
  const releases = new Releases(agentFolder ?? '')
  const engine = new Engine(
    machines,
    (deviceId, clientId) => live.reported(deviceId, clientId),
    new Map([...programs].map(([name, { digest }]) => [name, digest])),
    (fault) => {
      app.log.error(fault, 'a watch could not be evaluated; its posts stay as they were')
    },
    forAMinute(() => releases.current),
  )
  live.onEvent = ({ topic }) => {
    if (topic !== 'reports' && topic !== 'alerts') engine.waiters.changed()
  }

  accessRoutes(app, pool, { vault, origin: address.url })
  clientRoutes(app, pool)
  estateRoutes(app, pool)
  serviceRoutes(app, pool)
  reachRoutes(app, pool)
  updateRoutes(app, pool)
  lifecycleRoutes(app, pool)
  eventlogRoutes(app, pool)
  alertRoutes(app, pool)
  calloutRoutes(app, pool, { vault, origin: address.url })
  requestRoutes(app, pool)
  policyRoutes(app, pool)
  maintenanceRoutes(app, pool, pastWindows)
  seriesRoutes(app, pool)
  storageRoutes(app, pool)
  healthRoutes(app, pool, address.url)
  rolloutRoutes(app, pool, vault, releases, address)
  agentRoutes(app, machines, engine, interval, signer, commandCompletion(vault))
  serveAgent(app, agentFolder ?? '', releases, address)
  serveReleases(app, releases)
  serveCollectors(app, programs, engine)
  live.routes(app)
  describeApi(app, routes)

  if (hasWeb) {
    await app.register(staticFiles, {
      root: webFolder,
      preCompressed: true,
      index: false,
      immutable: true,
      maxAge: '30d',
    })
    // Left to the files, a folder without an index is refused to whoever accepts nothing packed.
    app.get('/', (_request, reply) => sendPage(reply))
  }
  return app
}
