import { collectors, deviceKinds, osFamilies, severities } from '#core'
import Joi from 'joi'
import { answerOf, count, id, instant, listOf, words } from '../answer'
import { accessLevels } from '../access'
import { factsSchema } from '../report/schema'
import {
  type BoardDevice,
  type BoardDisk,
  type Client,
  type ClientDetail,
  type Contact,
  type DependsOn,
  type DevicePage,
  type DiskFill,
  type Found,
  type MergePreview,
  type NamedDevice,
  type PastKept,
  type RefusedPartView,
  type RetiredClient,
  type RetiredDevice,
  type RetiredList,
  type Role,
  type Site,
} from './index'

const severity = Joi.string().valid(...severities)
const site = answerOf<Site>({
  id,
  clientId: id,
  name: words,
  zone: words,
  networks: listOf(words),
  named: listOf(words),
  helpers: count,
})
export const clientsSchema = listOf(
  answerOf<Client>({ id, name: words, code: words, deviceCount: count, sites: listOf(site) }),
)
export const clientDetailSchema = answerOf<ClientDetail>({
  id,
  notes: words,
  agreed: words,
  agreedHours: words,
  mailDomains: listOf(words),
  contacts: listOf(
    answerOf<Contact>({
      id,
      name: words,
      email: words,
      phone: words,
      note: words,
      access: Joi.string()
        .valid(...accessLevels)
        .allow(null),
    }),
  ),
  sites: listOf(answerOf<ClientDetail['sites'][number]>({ id, notes: words })),
})
export const mergePreviewSchema = answerOf<MergePreview>({
  sites: count,
  devices: count,
  clashes: listOf(words),
  people: listOf(words),
  rules: count,
})
export const retiredClientsSchema = listOf(
  answerOf<RetiredClient>({ id, name: words, code: words, retiredAt: instant, devices: count }),
)
export const rolesSchema = listOf(answerOf<Role>({ id: words, name: words }))

const size = Joi.number().min(0)
const board = {
  id,
  name: words,
  clientId: id,
  clientName: words,
  siteName: words,
  kind: Joi.string().valid(...deviceKinds),
  osFamily: Joi.string()
    .valid(...osFamilies)
    .allow(null),
  osName: words,
  roles: listOf(words),
  tags: listOf(words),
  worst: severity.allow(null),
  held: count,
  silent: Joi.boolean(),
  disks: listOf(answerOf<BoardDisk>({ mount: words, size, free: size, severity: severity.allow(null) })),
  services: listOf(answerOf<BoardDevice['services'][number]>({ name: words, severity, held: Joi.boolean() })),
  updates: answerOf<NonNullable<BoardDevice['updates']>>({
    security: count,
    other: count,
    oldestSecurityAt: instant.allow(null),
    isKnown: Joi.boolean(),
  }).allow(null),
  servicesRead: Joi.boolean(),
  failing: listOf(Joi.string().valid(...collectors)),
  events: listOf(count).length(24),
  errors: listOf(count).length(24),
  heardAt: instant.allow(null),
  readAt: instant.allow(null),
  interval: Joi.number().min(1),
  takesTasks: Joi.boolean(),
  addresses: listOf(words),
}
export const boardDeviceSchema = answerOf<BoardDevice>(board)
export const boardDevicesSchema = listOf(boardDeviceSchema)

export const pastKeptSchema = answerOf<PastKept>({ since: instant })
const namedDevice = answerOf<NamedDevice>({ id, name: words })
export const devicePageSchema = answerOf<DevicePage>({
  ...board,
  siteId: id,
  zone: words,
  agentVersion: words,
  clockOffset: Joi.number(),
  startedAt: instant.allow(null),
  startedIn: answerOf<NonNullable<DevicePage['startedIn']>>({ id, name: words }).allow(null),
  dependsOn: answerOf<DependsOn>({ device: namedDevice.allow(null), by: Joi.string().valid('person', 'routes') }),
  behind: answerOf<DevicePage['behind']>({ total: count, devices: listOf(namedDevice) }),
  enrolledAt: instant,
  facts: factsSchema.prefs({ presence: 'optional' }),
  factTimes: Joi.object<DevicePage['factTimes']>().pattern(Joi.string(), instant),
  latest: answerOf<NonNullable<DevicePage['latest']>>({
    at: instant,
    readings: listOf(Joi.array<[string, string, number]>().ordered(words, words, Joi.number())),
  }).allow(null),
  fills: listOf(
    answerOf<DiskFill>({
      mount: words,
      soonest: Joi.number(),
      likely: Joi.number(),
      latest: Joi.number().allow(null),
      perDay: Joi.number(),
      clearedEvery: Joi.number().allow(null),
    }),
  ),
  failed: listOf(
    answerOf<DevicePage['failed'][number]>({
      collector: Joi.string().valid(...collectors),
      reason: words,
      notHere: Joi.boolean().optional(),
    }),
  ),
  lostReports: count,
  leftOutEntries: count,
  oldEntries: count,
  refusedCount: count,
  refused: listOf(
    answerOf<RefusedPartView>({
      id,
      at: instant,
      seq: Joi.number().allow(null),
      pointer: words,
      code: words,
      detail: words,
      body: words,
    }),
  ),
  roster: answerOf<DevicePage['roster']>({ sentAt: instant.allow(null), confirmedAt: instant.allow(null) }),
})
export const retiredListSchema = answerOf<RetiredList>({
  total: count,
  devices: listOf(
    answerOf<RetiredDevice>({
      id,
      name: words,
      clientId: id,
      clientName: words,
      siteName: words,
      retiredAt: instant,
      mergedInto: id.allow(null),
    }),
  ),
  next: words.allow(null),
})
export const foundSchema = listOf(
  answerOf<Found>({
    kind: Joi.string().valid('device', 'client', 'template', 'alert', 'window'),
    id,
    title: words,
    context: words,
    path: words,
  }),
)
