import Joi from 'joi'
import {
  arrayStates,
  clockReasons,
  collectors,
  counterTroubles,
  deviceKinds,
  driveMedia,
  driveWarnings,
  failureKinds,
  heldReasons,
  logLevels,
  metrics,
  osFamilies,
  probeFaults,
  probeTroubles,
  processLimits,
  readOnlyReasons,
  serviceStarts,
  serviceStates,
  sessionKinds,
  updateRatings,
  type Answering,
  type ClockKeeping,
  type CountersTold,
  type Disk,
  type Drive,
  type DriveArray,
  type DriveHealth,
  type FactSubject,
  type FileTold,
  type Firewall,
  type GuardedVolume,
  type ListeningPort,
  type LogChannel,
  type LogEvent,
  type NetworkLink,
  type OutdatedProgram,
  type ProbeTold,
  type ProcessUse,
  type Protection,
  type RefreshFailure,
  type RunningProgram,
  type Scanner,
  type Sensor,
  type Service,
  type ServiceStarts,
  type Session,
  type Sessions,
  type SignedIn,
  type System,
  type TopProcesses,
  type Updates,
  type WaitingUpdate,
} from '#core'
import {
  batchLimits,
  eventLimits,
  factLimits,
  protocolVersion,
  type ChangeRequest,
  type CollectorFailure,
  type EnrolmentRequest,
  type ProbeBatch,
  type Report,
  type DeployProgress,
  type ReportBatch,
  type ServiceProgress,
  type SweepProgress,
  type TaskProgress,
  type UpdateProgress,
} from './index'
import { aNumber, aTime } from '../bounds'

const text = (max: number) => Joi.string().allow('').max(max)
// What PostgreSQL takes as a time, and a machine's clock may say: from 1970 to the year 9999.
const time = aTime
const count = Joi.number().integer().min(0).max(1_000_000)
const size = Joi.number().min(0).max(Number.MAX_SAFE_INTEGER)
const {
  services,
  serviceName,
  title,
  account,
  neededBy,
  starting,
  startLooks,
  disks,
  driveName,
  mount,
  fileSystem,
  packages,
  packageName,
  ports,
  logs,
  logName,
  trouble,
  updateNames,
  updateName,
  updateWords,
  outdatedFiles,
  gateways,
  partName,
} = factLimits

const service = Joi.object<Service, true>({
  name: Joi.string().max(serviceName).required(),
  title: text(title).required(),
  start: Joi.string()
    .valid(...serviceStarts)
    .required(),
  state: Joi.string()
    .valid(...serviceStates)
    .required(),
  account: text(account),
  since: time,
  neededBy: Joi.array().items(Joi.string().max(serviceName)).max(neededBy),
  brokenTrigger: text(serviceName),
})
const starts = Joi.object<ServiceStarts, true>({
  service: Joi.string().max(serviceName).required(),
  looks: Joi.array()
    .items(Joi.object<ServiceStarts['looks'][number], true>({ at: time.required(), count: count.min(1).required() }))
    .max(startLooks)
    .required(),
})
const disk = Joi.object<Disk, true>({
  mount: Joi.string().max(mount).required(),
  device: text(mount).required(),
  fileSystem: text(fileSystem).required(),
  removable: Joi.boolean().required(),
  size: size.required(),
  trouble: text(trouble),
  remote: Joi.boolean().valid(true),
  readOnly: Joi.string().valid(...readOnlyReasons),
  inodes: size.integer(),
})
const sectors = Joi.number().integer().min(0).max(Number.MAX_SAFE_INTEGER)
const drive = Joi.object<Drive, true>({
  name: Joi.string().max(driveName).required(),
  model: text(driveName).required(),
  serial: text(driveName),
  media: Joi.string()
    .valid(...driveMedia)
    .required(),
  passed: Joi.boolean().allow(null).required(),
  reallocated: sectors,
  pending: sectors,
  uncorrectable: sectors,
  worn: Joi.number().min(0).max(10),
  spare: Joi.number().min(0).max(1),
  spareLeast: Joi.number().min(0).max(1),
  warnings: Joi.array()
    .items(Joi.string().valid(...driveWarnings))
    .max(driveWarnings.length),
  trouble: text(trouble),
})
const driveArray = Joi.object<DriveArray, true>({
  name: Joi.string().max(driveName).required(),
  level: text(driveName).required(),
  state: Joi.string()
    .valid(...arrayStates)
    .required(),
  members: count.required(),
  missing: count.required(),
  progress: Joi.number().min(0).max(1),
  trouble: text(trouble),
})
const drives = Joi.object<DriveHealth, true>({
  drives: Joi.array().items(drive).max(factLimits.drives).unique('name').required(),
  arrays: Joi.array().items(driveArray).max(factLimits.drives).unique('name').required(),
})
const outdated = Joi.object<OutdatedProgram, true>({
  name: Joi.string().max(serviceName).required(),
  service: Joi.boolean().required(),
  files: Joi.array().items(text(mount)).max(outdatedFiles).required(),
  since: time.required(),
})
const updates = Joi.object<Updates, true>({
  security: count.required(),
  other: count.required(),
  leftover: count.required(),
  oldestSecurityAt: time.allow(null).required(),
  oldestOtherAt: time.allow(null).required(),
  held: count,
  heldSecurity: count,
  oldestHeldAt: time.allow(null),
  oldestLeftoverAt: time.allow(null),
  restartPending: Joi.boolean().required(),
  restartSince: time.allow(null),
  outdated: Joi.array().items(outdated).max(factLimits.outdated),
  checkedAt: time.required(),
  listsAt: time.allow(null),
  refresh: Joi.object<RefreshFailure, true>({ since: time.required(), reason: text(trouble).required() }).allow(null),
  installedAt: time.allow(null),
  names: Joi.array().items(text(updateName)).max(updateNames).required(),
})
const waiting = Joi.object<WaitingUpdate, true>({
  name: Joi.string().max(updateName).required(),
  from: text(updateWords),
  to: text(updateWords),
  origin: text(updateWords),
  security: Joi.boolean().required(),
  rating: Joi.string().valid(...updateRatings),
  held: Joi.string().valid(...heldReasons),
  since: time.required(),
})
const addresses = Joi.array().items(Joi.string().ip()).max(factLimits.addresses)
const system = Joi.object<System, true>({
  osFamily: Joi.string()
    .valid(...osFamilies)
    .required(),
  osName: text(factLimits.osName).required(),
  hostName: text(factLimits.hostName).required(),
  cores: Joi.number().integer().min(1).max(4096).required(),
  agentVersion: text(40).required(),
  serviceManager: text(40).allow(null).required(),
  startsAtBoot: Joi.boolean(),
  takesTasks: Joi.boolean(),
  optional: Joi.array().items(text(60)).max(50),
  updatable: Joi.boolean(),
  remediates: Joi.boolean(),
  addresses,
})
  // Agents of version 0.4.0 call them so.
  .rename('takesOrders', 'takesTasks')
  .rename('mends', 'remediates')
const port = Joi.object<ListeningPort, true>({
  port: Joi.number().integer().min(1).max(65_535).required(),
  protocol: Joi.string().valid('tcp', 'udp').required(),
})
const logChannel = Joi.object<LogChannel, true>({
  name: Joi.string().max(logName).required(),
  collected: Joi.boolean().required(),
  trouble: text(trouble),
})

const link = Joi.object<NetworkLink, true>({
  name: Joi.string().max(partName).required(),
  speed: Joi.number().integer().min(1).max(1e15),
})
const sensor = Joi.object<Sensor, true>({
  name: Joi.string().max(partName).required(),
  critical: Joi.number().min(-100).max(1000),
})

const program = Joi.object<RunningProgram, true>({
  name: Joi.string().max(partName).required(),
  path: text(factLimits.programPath),
  arguments: text(factLimits.programArguments),
  user: text(factLimits.programUser),
})

const file = Joi.object<FileTold, true>({
  name: Joi.string().max(factLimits.fileName).required(),
  trouble: text(trouble),
  digest: text(64),
})

const counterName = Joi.string().max(factLimits.counterName).required()
const counters = Joi.object<CountersTold, true>({
  name: counterName,
  from: text(factLimits.fileName).required(),
  trouble: Joi.string().valid(...counterTroubles),
  detail: text(trouble),
  series: Joi.array()
    .items(
      Joi.object<CountersTold['series'][number], true>({
        name: counterName,
        metric: Joi.string()
          .valid(...Object.keys(metrics).filter((metric) => metric.startsWith('counter.')))
          .required(),
      }),
    )
    .max(factLimits.counterSeries)
    .required(),
  missing: Joi.array().items(Joi.string().max(factLimits.counterName)).max(factLimits.counterSeries).required(),
})

const guardName = Joi.string().max(factLimits.guardName).required()
const guarded = Joi.boolean().allow(null).required()
/** @param item of something that protects, named each once */
const guards = (item: Joi.Schema) => Joi.array().items(item).max(factLimits.guards).unique('name').required()
const protection = Joi.object<Protection, true>({
  scanners: guards(
    Joi.object<Scanner, true>({
      name: guardName,
      isOn: guarded,
      definitionsAt: time.allow(null),
      isOutdated: Joi.boolean(),
      trouble: text(trouble),
    }),
  ),
  firewalls: guards(
    Joi.object<Firewall, true>({
      name: guardName,
      isOn: guarded,
      by: text(factLimits.guardName).required(),
      trouble: text(trouble),
    }),
  ),
  volumes: guards(
    Joi.object<GuardedVolume, true>({
      name: Joi.string().max(mount).required(),
      isEncrypted: guarded,
      trouble: text(trouble),
    }),
  ),
  clock: Joi.object<ClockKeeping, true>({
    isSynchronised: guarded,
    because: Joi.string().valid(...clockReasons),
    trouble: text(trouble),
  }).required(),
})

const sessions = Joi.object<Sessions, true>({
  list: Joi.array()
    .items(
      Joi.object<Session, true>({
        id: Joi.string().max(factLimits.sessionWord).required(),
        user: Joi.string().max(factLimits.sessionWord).required(),
        kind: Joi.string()
          .valid(...sessionKinds)
          .required(),
        since: time.required(),
        from: text(factLimits.sessionWord).required(),
      }),
    )
    .max(factLimits.sessions)
    .unique('id')
    .required(),
  closedBy: text(trouble).allow(null),
})

/** Each subject is checked by itself, so that one that is wrong does not cost the others. */
export const factSchemas: { readonly [Subject in FactSubject]: Joi.Schema } = {
  system,
  disks: Joi.array().items(disk).max(disks),
  drives,
  services: Joi.array().items(service).max(services),
  starts: Joi.array().items(starts).max(starting).unique('service'),
  updates,
  waiting: Joi.array().items(waiting).max(factLimits.waiting).unique('name'),
  packages: Joi.array().items(text(packageName)).max(packages),
  ports: Joi.array().items(port).max(ports),
  logs: Joi.array().items(logChannel).max(logs),
  gateways: Joi.array().items(Joi.string().ip()).max(gateways),
  links: Joi.array().items(link).max(factLimits.links).unique('name'),
  blocks: Joi.array().items(Joi.string().max(partName)).max(factLimits.blocks).unique(),
  sensors: Joi.array().items(sensor).max(factLimits.sensors).unique('name'),
  programs: Joi.array().items(program).max(factLimits.programs),
  counters: Joi.array().items(counters).max(factLimits.counters).unique('name'),
  files: Joi.array().items(file).max(factLimits.files).unique('name'),
  protection,
  sessions,
}

/** All of them together, for whoever is told what a device is. */
export const factsSchema = Joi.object(factSchemas)

/** One log event; checked singly, so that a bad one does not cost the others. */
export const logEventSchema = Joi.object<LogEvent, true>({
  at: time.required(),
  channel: Joi.string().max(eventLimits.channel).required(),
  source: text(eventLimits.source).required(),
  id: Joi.number().integer().min(0).max(4_294_967_295).allow(null).required(),
  level: Joi.string()
    .valid(...logLevels)
    .required(),
  text: text(eventLimits.text).required(),
  fields: Joi.object()
    .pattern(Joi.string().max(eventLimits.fieldName), text(eventLimits.fieldText))
    .max(eventLimits.fields),
  old: Joi.boolean().valid(true),
})

const moment = Joi.number().min(0).max(1e9)
/** Checked one by one, so that a wrong one does not cost the others. */
export const probeToldSchema = Joi.object<ProbeTold, true>({
  id: Joi.number().integer().min(1).max(Number.MAX_SAFE_INTEGER).required(),
  outcome: Joi.string().valid('good', 'bad', 'trouble').required(),
  fault: Joi.string().valid(...probeFaults),
  trouble: Joi.string().valid(...probeTroubles),
  detail: text(factLimits.probeDetail),
  inARow: Joi.number().integer().min(1).max(1e9).required(),
  lasts: Joi.number().min(0).max(1e12).required(),
  time: moment,
  mean: moment,
  loss: Joi.number().min(0).max(1),
  address: text(60),
  expires: Joi.number().min(-8.64e15).max(8.64e15),
  size,
})
export const probeBatchSchema = Joi.object<ProbeBatch, true>({
  probes: Joi.array().min(1).max(factLimits.probes).required(),
})

/** Checked by itself, so that a wrong one does not cost the readings. */
export const topSchema = Joi.object<TopProcesses, true>({
  took: Joi.number().min(0).max(1e6).required(),
  processes: Joi.array()
    .max(2 * processLimits.each)
    .required()
    .items(
      Joi.object<ProcessUse, true>({
        name: Joi.string().max(processLimits.name).required(),
        cpu: Joi.number().min(0).max(1).required(),
        memory: size.required(),
        count: count.required(),
      }),
    )
    .unique('name'),
})

const mark = Joi.string().max(100)
const up = Joi.number().min(0).max(Number.MAX_SAFE_INTEGER)

/** A report without its readings, facts, events and processes, which are checked one by one. */
export const reportSchema = Joi.object<Report, true>({
  seq: Joi.number().integer().min(1).max(Number.MAX_SAFE_INTEGER).required(),
  at: time.required(),
  interval: Joi.number().integer().min(1000).max(86_400_000).required(),
  readings: Joi.array().max(batchLimits.readings).required(),
  facts: Joi.object(),
  events: Joi.array().max(batchLimits.events),
  roster: Joi.string().allow('').max(40),
  rested: Joi.array()
    .max(collectors.length)
    .items(Joi.string().valid(...collectors)),
  failed: Joi.array()
    .max(collectors.length)
    .items(
      Joi.object<CollectorFailure, true>({
        collector: Joi.string()
          .valid(...collectors)
          .required(),
        reason: text(500).required(),
        notHere: Joi.boolean().valid(true),
      }),
    ),
  up,
  boot: mark,
  leftOut: count,
  top: Joi.object().unknown(),
})

export const reportBatchSchema = Joi.object<ReportBatch, true>({
  version: Joi.number().valid(protocolVersion).required(),
  sentAt: time.required(),
  oldest: Joi.number().integer().min(1).max(Number.MAX_SAFE_INTEGER).required(),
  reports: Joi.array().min(1).max(batchLimits.reports).required(),
  up,
  boot: mark,
  instance: mark,
  machine: mark,
})

export const changeRequestSchema = Joi.object<ChangeRequest, true>({
  roster: Joi.string().allow('').max(40).required(),
})

const plainName = Joi.string()
  .trim()
  .pattern(/^[\w][\w .-]{0,62}$/, 'letters, digits, dots, spaces and hyphens')

export const enrolmentRequestSchema = Joi.object<EnrolmentRequest, true>({
  version: Joi.number().valid(protocolVersion).required(),
  key: Joi.string().max(200).required(),
  name: plainName.required(),
  osFamily: Joi.string()
    .valid(...osFamilies)
    .required(),
  osName: text(120).required(),
  addresses,
  sentAt: time.required(),
})
const state = Joi.string().valid('running', 'done', 'failed').required()
const sweepProgress = Joi.object<SweepProgress, true>({
  state,
  reason: text(500).required(),
  scanned: count.required(),
  total: count.required(),
  found: Joi.array()
    .max(5000)
    .required()
    .items(
      Joi.object<Answering, true>({
        address: Joi.string().ip().required(),
        name: text(255).allow(null).required(),
        ports: Joi.array().items(Joi.number().integer().min(1).max(65_535)).max(100).required(),
        banner: text(255).allow(null).required(),
        signedIn: Joi.object<SignedIn, true>({
          trial: aNumber.allow(null).required(),
          system: text(120).required(),
          agent: Joi.boolean().required(),
          hostKey: text(100).allow(null).required(),
          reason: text(300).required(),
        }).allow(null),
      }),
    ),
})
const deployProgress = Joi.object<DeployProgress, true>({
  state,
  step: text(100).required(),
  // Agents of version 0.4.0 write the codes with spaces.
  failure: Joi.string()
    .replace(/ /g, '-')
    .valid(...failureKinds)
    .allow(null)
    .required(),
  reason: text(1000).required(),
  hostKey: text(100).allow(null).required(),
  trial: aNumber.allow(null).required(),
})
const updateProgress = Joi.object<UpdateProgress, true>({
  state,
  step: text(100).required(),
  reason: text(1000).required(),
})
const serviceProgress = Joi.object<ServiceProgress, true>({
  state: Joi.string().valid('done', 'failed').required(),
  before: text(40).required(),
  after: text(40).required(),
  reason: text(1000).required(),
  hopeless: Joi.boolean().required(),
})
export const taskProgressSchema = Joi.object<TaskProgress>({
  sweep: sweepProgress,
  deploy: deployProgress,
  update: updateProgress,
  service: serviceProgress,
}).xor('sweep', 'deploy', 'update', 'service')

export const deviceKindSchema = Joi.string().valid(...deviceKinds)
