/** Longer than this nobody waits for an answer that is overtaken anyway. */
const longest = 300

/**
 * For questions that come with every key: the first is asked at once, and while its answer is out, only the newest of
 * those that came meanwhile is asked next.
 * @param ask catches what goes wrong by itself
 */
export function newestOnly(ask: () => Promise<void>): () => void {
  let isBusy = false
  let isOvertaken = false
  async function run(): Promise<void> {
    isBusy = true
    try {
      do {
        isOvertaken = false
        await Promise.race([ask(), new Promise((resolve) => setTimeout(resolve, longest))])
      } while (isOvertaken)
    } finally {
      isBusy = false
    }
  }
  return () => {
    if (isBusy) isOvertaken = true
    else void run()
  }
}
