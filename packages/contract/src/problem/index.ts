/** Problem details (RFC 9457), the body of every answer that is not a success. */
export interface Problem {
  type: string
  title: string
  status: number
  /** What to do, in a sentence. */
  detail: string
  code: string
  /** Where in the request: parameter or field name, and what is wrong there. */
  faults?: { at: string; message: string }[]
}
export const problemMediaType = 'application/problem+json'
