/**
 * What PostgreSQL has against the data of a statement, in its words: classes 22 (data exception) and 23 (integrity
 * constraint violation) of its error codes (PostgreSQL 15, appendix A). Null: the error is another one, such as a
 * database that is away or a disk that is full, which is nobody's data's fault.
 */
export function refusedByDatabase(error: unknown): string | null {
  const { code, message } = error as { code?: unknown; message?: unknown }
  return typeof code === 'string' && /^(22|23)...$/.test(code) ? String(message) : null
}
