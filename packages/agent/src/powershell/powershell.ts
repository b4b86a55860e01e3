import { command } from '../collectors/command'

/**
 * Windows PowerShell, which every supported Windows has; the script goes in UTF-16LE and base64, so that nothing has to
 * be quoted.
 */
export function powershell(script: string, timeout?: number): Promise<string> {
  return command(
    'powershell.exe',
    ['-NoLogo', '-NoProfile', '-NonInteractive', '-EncodedCommand', Buffer.from(script, 'utf16le').toString('base64')],
    timeout,
  )
}

/**
 * A text as a literal of PowerShell. Its language takes the curly single quotes, too, for the end of one (Windows
 * PowerShell Language Specification, section 2.3.5.2, from memory), so each of them is doubled.
 */
export function quoted(text: string): string {
  return `'${text.replace(/['\u2018-\u201b]/g, '$&$&')}'`
}

/** The object that a script gives as JSON. A part that a version of Windows does not have is empty there. */
export async function told<T extends object>(script: string, empty: T, timeout?: number): Promise<T> {
  const text = (await powershell(script, timeout)).trim()
  if (!text.includes('{')) throw new Error('PowerShell told nothing')
  return { ...empty, ...(JSON.parse(text.slice(text.indexOf('{'))) as Partial<T>) }
}
