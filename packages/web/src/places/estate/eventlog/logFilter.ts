import { refDebounced } from '@vueuse/core'
import { computed, type ComputedRef, type WritableComputedRef } from 'vue'
import type { LogEntry, LogGroup } from '#contract'
import { hour, logLevelCode, logLevels, patternOf, type LogLevel, type Values } from '#core'
import { useRoute, useRouter } from 'vue-router'
import { useAddressed } from '../../../parts/data/addressed'
import { asOf } from '../../../parts/data/asOf'
import { useSession } from '../../../parts/data/session'

/** Which entries are looked for: it stands in the address. */
export interface LogFilterFields {
  level: WritableComputedRef<string>
  channel: WritableComputedRef<string>
  source: WritableComputedRef<string>
  id: WritableComputedRef<string>
  words: WritableComputedRef<string>
  /** Hours back from now; empty: whenever. */
  hours: WritableComputedRef<string>
  /** What a server is asked with. */
  query: ComputedRef<string>
  isAsked: ComputedRef<boolean>
  clear(): void
  /** Narrows to entries that say the same, one by one. */
  narrow(to: Pick<LogEntry, 'channel' | 'source' | 'id' | 'level' | 'text'>): void
}

/** As long as words may be that a server is asked with. */
const mostWords = 200

/** The words that find an entry again, whatever its numbers: its first line, as far as it is asked for. */
export function wordsOf(text: string): string {
  const [line = ''] = patternOf(text).trim().split('\n')
  return line.slice(0, mostWords)
}

/** @param device null: of all in view */
export function useLogFilter(device: () => number | null): LogFilterFields {
  const session = useSession()
  const route = useRoute()
  const router = useRouter()
  const fields = {
    level: useAddressed('level', 'debug'),
    channel: useAddressed('log'),
    source: useAddressed('source'),
    id: useAddressed('id'),
    words: useAddressed('words'),
    hours: useAddressed('hours'),
  }
  const typed = computed(() => {
    const query = new URLSearchParams()
    const put = (name: string, value: string) => {
      if (value.trim()) query.set(name, value.trim())
    }
    const { level, channel, source, id, words, hours } = fields
    if (level.value !== 'debug' && logLevels.includes(level.value as LogLevel)) put('level', level.value)
    put('channel', channel.value)
    put('source', source.value)
    if (/^\d+$/.test(id.value.trim())) put('id', id.value)
    put('text', words.value.slice(0, mostWords))
    const { span } = session
    if (span) {
      put('from', String(Math.floor(span.from)))
      put('until', String(Math.ceil(span.until)))
    } else if (Number(hours.value) > 0) put('from', String((asOf.value ?? Date.now()) - Number(hours.value) * hour))
    const deviceId = device()
    if (deviceId !== null) put('device', String(deviceId))
    else if (session.clientId !== null) put('client', String(session.clientId))
    return query.toString()
  })
  const query = refDebounced(typed, 250)
  // At once: each by itself would begin with the address as it was before the others.
  const set = (to: Record<string, string>) => {
    const { level: _l, log: _g, source: _s, id: _i, words: _w, hours: _h, together: _t, ...others } = route.query
    void router.replace({ query: { ...others, ...to }, hash: route.hash })
  }
  return {
    ...fields,
    query: computed(() => query.value),
    isAsked: computed(() =>
      Object.entries(fields).some(([name, { value }]) => value !== (name === 'level' ? 'debug' : '')),
    ),
    clear: () => set(typeof route.query.together === 'string' ? { together: route.query.together } : {}),
    narrow({ channel, source, id, level, text }) {
      const to = { log: channel, source, id: id === null ? '' : String(id), level, words: wordsOf(text) }
      set({
        ...Object.fromEntries(
          Object.entries(to).filter(([name, value]) => value !== '' && `${name} ${value}` !== 'level debug'),
        ),
        ...(fields.hours.value ? { hours: fields.hours.value } : {}),
      })
    },
  }
}

/** Errors and worse stand out, and warnings; the rest is quiet. */
export function levelClass(level: LogLevel): string {
  if (logLevelCode(level) <= 3) return 'critical'
  return level === 'warning' ? 'warning' : 'muted'
}

/** What a watch of such entries would be set to: by its id where the log numbers its events, else by its words. */
export function valuesFor(entry: Pick<LogEntry | LogGroup, 'channel' | 'source' | 'id' | 'level' | 'text'>): Values {
  const code = logLevelCode(entry.level)
  return {
    channel: entry.channel,
    source: entry.source,
    id: entry.id,
    level: '',
    text: entry.id === null ? wordsOf(entry.text) : '',
    severity: code <= 2 ? 'critical' : code <= 4 ? 'warning' : 'notice',
  }
}
