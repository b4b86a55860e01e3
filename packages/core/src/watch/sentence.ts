import { valueText, type Parameter, type Values } from './parameter'

/** A rule reads as a sentence: plain text, and parts that are parameters and can be edited in place. */
export type SentencePart = { text: string } | { parameter: string; text: string }

export type Say = (name: string, text?: string) => SentencePart

/** Gives the function that puts a parameter into a sentence, in the words of its present value or of `text`. */
export function sayer(parameters: readonly Parameter[], values: Values): Say {
  return (name, text) => {
    const parameter = parameters.find((parameter) => parameter.name === name)
    if (!parameter) throw new Error(`no parameter ${name}`)
    return { parameter: name, text: text ?? valueText(parameter, values[name] ?? null) }
  }
}

/** Template tag: strings become text, parts stay parts, empty text is left out. */
export function sentence(
  strings: TemplateStringsArray,
  ...parts: (SentencePart | SentencePart[] | string)[]
): SentencePart[] {
  const out: SentencePart[] = []
  strings.forEach((text, i) => {
    if (text) out.push({ text })
    const part = parts[i]
    if (typeof part === 'string') out.push({ text: part })
    else if (part) out.push(...(Array.isArray(part) ? part : [part]))
  })
  return out.filter((part) => part.text !== '')
}

export function sentenceText(parts: readonly SentencePart[]): string {
  return parts.map((part) => part.text).join('')
}
