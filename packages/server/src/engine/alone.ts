/**
 * Does a round's work item by item: one that fails costs only itself, and the round fails at its end, so that it is
 * logged.
 * @throws AggregateError with what failed
 */
export async function eachAlone<T>(items: readonly T[], work: (item: T) => Promise<unknown>): Promise<void> {
  const failures: unknown[] = []
  for (const item of items) {
    try {
      await work(item)
    } catch (error) {
      failures.push(error)
    }
  }
  if (failures.length)
    throw new AggregateError(
      failures,
      `${failures.length} of ${items.length} failed: ${(failures[0] as Error).message}`,
    )
}
