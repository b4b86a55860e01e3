import { matchesPattern } from '../text'

/** Which processes a watch is about: patterns; empty: any. */
export interface ProcessChoice {
  name: string
  /** Of its program's file. */
  path: string
  /** All of its command line. */
  arguments: string
  user: string
}
export const processParts = ['name', 'path', 'arguments', 'user'] as const

/** A process as far as its system tells of it; what is not told is absent. */
export interface ProcessSeen {
  /** By its system's short name, and by that of its program's file where that is longer. */
  names: readonly string[]
  path?: string
  arguments?: string
  user?: string
}

export const isAnyChosen = (choice: ProcessChoice): boolean => processParts.some((part) => choice[part] !== '')

/**
 * Whether a process is one of a choice; null: what is asked of it is not told.
 * @example isProcessChosen({ name: 'java', path: '', arguments: '*tomcat*', user: '' }, seen)
 */
export function isProcessChosen(choice: ProcessChoice, seen: ProcessSeen): boolean | null {
  if (!isAnyChosen(choice)) return false
  if (choice.name && !seen.names.some((name) => matchesPattern(choice.name, name))) return false
  let isTold = true
  for (const part of ['path', 'arguments', 'user'] as const) {
    if (!choice[part]) continue
    const text = seen[part]
    if (text === undefined) isTold = false
    else if (!matchesPattern(choice[part], text)) return false
  }
  return isTold ? true : null
}

/**
 * What the series of a choice are called: the same for the same choice, on every device, and another for another.
 * @example choiceName({ name: 'java', path: '', arguments: '*x*', user: 'app' }) // 'java (with *x*; user app)'
 */
export function choiceName({ name, path, arguments: all, user }: ProcessChoice): string {
  // Nothing that somebody writes reads as the end of a part.
  const plain = (text: string) => text.replace(/\\+(?=;|$)/g, '$&$&').replaceAll(';', '\\;')
  const part = (word: string, text: string) => (text ? [`${word} ${plain(text)}`] : [])
  const more = [...part('at', path), ...part('with', all), ...part('user', user)].join('; ')
  if (!name) return more
  return more ? `${name} (${more})` : name
}

/** A program that runs on a device, to pick from; secrets on its command line are left out. */
export interface RunningProgram {
  name: string
  path?: string
  arguments?: string
  user?: string
}

/** Options whose values are nobody's business. */
const secret = /pass|pwd|secret|token|credential|api[-_]?key|private[-_]?key/i
const hidden = '***'
/** Of an address: everything between the name of the user and the host. */
const inAddress = /(:\/\/[^/\s:@]*:)[^/\s@]+@/g
/** So much of a command line is kept at most, in words and in characters of each: looking for secrets takes time. */
const mostShown = { words: 60, letters: 400 } as const
/** Within one word, as of settings in JSON: what is behind such a name, also where the word was cut within it. */
const inData = new RegExp(
  `([\\w.-]*(?:${secret.source})[\\w.-]*["']?\\s*[=:]\\s*)("[^"]*"?|'[^']*'?|[^\\s,;&}"']+)`,
  'gi',
)

/**
 * A command line as it may be kept: what looks like a secret is `***`, which as a pattern stands for any text.
 * @example withoutSecrets(['app', '--password', 'x', 'https://a:b@c']) // 'app --password *** https://a:***@c'
 */
export function withoutSecrets(words: readonly string[]): string {
  let isNext = false
  return words
    .slice(0, mostShown.words)
    .map((all) => {
      const word = all.slice(0, mostShown.letters)
      if (isNext && !word.startsWith('-')) {
        isNext = false
        return hidden
      }
      const [, option = '', value] = /^(-{0,2}\/?[\w.-]+)([=:].*)?$/s.exec(word) ?? []
      isNext = secret.test(option) && value === undefined && /^[-/]/.test(option)
      if (secret.test(option) && value !== undefined) return `${option}${value[0]}${hidden}`
      return word.replace(inAddress, `$1${hidden}@`).replace(inData, `$1${hidden}`)
    })
    .join(' ')
}
