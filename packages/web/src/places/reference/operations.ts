import { groupsBy } from '#core'

/** What of an OpenAPI description this page shows. */
export interface Described {
  paths: Record<
    string,
    Record<
      string,
      {
        summary: string
        description: string
        parameters?: { name: string; in: string; required?: boolean; schema?: object }[]
        requestBody?: { content: Record<string, { schema: object }> }
        responses: Record<string, { content: Record<string, { schema?: object }> }>
      }
    >
  >
}

export interface Operation {
  key: string
  method: string
  path: string
  summary: string
  access: string
  parameters: { name: string; in: string }[]
  body: object | null
  answer: object | null
}

/** By the word after /api, in the order of the alphabet. */
export function operationsOf({ paths }: Described): Map<string, Operation[]> {
  const all = Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, each]): Operation => ({
      key: `${method} ${path}`,
      method: method.toUpperCase(),
      path,
      summary: each.summary,
      access: /For: (.+)\./.exec(each.description)?.[1] ?? '',
      parameters: each.parameters ?? [],
      body: each.requestBody?.content['application/json']?.schema ?? null,
      answer: each.responses['200']?.content['application/json']?.schema ?? null,
    })),
  )
  const subject = ({ path }: Operation) => /^\/(?:api\/)?([\w.-]+)/.exec(path)?.[1] ?? ''
  return new Map([...groupsBy(all, subject)].sort(([a], [b]) => (a < b ? -1 : 1)))
}

/** As it is asked from a shell, with the token in a variable. */
export function exampleOf({ method, path, body, access }: Operation, origin: string): string {
  const url = `${origin}${path.replaceAll(/\{(\w+)\}/g, '1')}`
  const auth = access === 'public' ? '' : ` -H "Authorization: Bearer $TOKEN"`
  const sends = body ? ` -H 'Content-Type: application/json' -d '${JSON.stringify(sampleOf(body))}'` : ''
  return `curl${method === 'GET' ? '' : ` -X ${method}`}${auth}${sends} ${url}`
}

interface Schema {
  type?: string
  enum?: unknown[]
  properties?: Record<string, Schema>
  required?: string[]
  items?: Schema
  oneOf?: Schema[]
  anyOf?: Schema[]
  default?: unknown
  minimum?: number
}

/** Something of the shape of a schema: what is required, as short as can be. */
export function sampleOf(schema: Schema, depth = 0): unknown {
  if (depth > 6) return null
  if (schema.default !== undefined) return schema.default
  if (schema.enum?.length) return schema.enum[0]
  const [choice] = schema.oneOf ?? schema.anyOf ?? []
  if (choice) return sampleOf(choice, depth + 1)
  if (schema.type === 'object' || schema.properties)
    return Object.fromEntries(
      Object.entries(schema.properties ?? {})
        .filter(([name]) => schema.required?.includes(name))
        .map(([name, each]) => [name, sampleOf(each, depth + 1)]),
    )
  if (schema.type === 'array') return schema.items ? [sampleOf(schema.items, depth + 1)] : []
  if (schema.type === 'integer' || schema.type === 'number') return schema.minimum ?? 1
  return schema.type === 'boolean' ? true : '…'
}
