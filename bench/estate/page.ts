import type { Page } from '@playwright/test'
import { setTimeout as rest } from 'node:timers/promises'

// What somebody waits for who looks at a page, and what the page holds.

/** Milliseconds from a key to the next picture that shows what it did, the slowest of some. */
export async function keystrokes(page: Page, url: string): Promise<Record<string, number>> {
  await page.goto(`${url}/rounds`)
  await page.locator('.row.chosen').waitFor()
  await rest(1500)
  const next = await page.evaluate<number>(`(async () => {
    const taken = []
    for (let i = 0; i < 12; i++) {
      const before = document.querySelector('.row.chosen')?.id
      const began = performance.now()
      document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'j', bubbles: true }))
      while (document.querySelector('.row.chosen')?.id === before && performance.now() - began < 5000)
        await new Promise(requestAnimationFrame)
      taken.push(performance.now() - began)
      await new Promise((resolve) => setTimeout(resolve, 120))
    }
    return Math.max(...taken)
  })()`)
  await page.goto(`${url}/estate`)
  await page.locator('.el-table-v2__row').first().waitFor()
  await rest(1500)
  // First those of the devices that were read, then all of them with how many there are.
  const [first, all] = await page.evaluate<[number, number]>(`(async () => {
    const taken = [[], []]
    const field = document.querySelector('[aria-label="Narrow by words"]')
    const until = async (isSo) => {
      const began = performance.now()
      while (!isSo() && performance.now() - began < 5000) await new Promise(requestAnimationFrame)
    }
    const isAsking = () => document.querySelector('.head .muted')?.textContent === '…'
    for (const words of ['d', 'de', 'des', 'desk', 'files', 'file', '']) {
      const began = performance.now()
      field.value = words
      field.dispatchEvent(new Event('input', { bubbles: true }))
      await until(isAsking)
      taken[0].push(performance.now() - began)
      await until(() => !isAsking())
      taken[1].push(performance.now() - began)
      await new Promise((resolve) => setTimeout(resolve, 400))
    }
    return taken.map((each) => Math.max(...each))
  })()`)
  return {
    'next row in Rounds': next,
    'narrowing Estate by words: what was read': first,
    'narrowing Estate by words: all, with counts': all,
  }
}

/** Megabytes of JavaScript that the page holds, and what some minutes of live updates add. */
export async function pageMemory(
  page: Page,
  url: string,
  minutes: number,
): Promise<{ megabytes: number; grown: number }> {
  await page.goto(`${url}/estate`)
  await page.locator('.el-table-v2__row').first().waitFor()
  const session = await page.context().newCDPSession(page)
  await session.send('Performance.enable')
  const held = async () => {
    await session.send('HeapProfiler.collectGarbage')
    const { metrics } = await session.send('Performance.getMetrics')
    return metrics.find(({ name }) => name === 'JSHeapUsedSize')!.value / 1e6
  }
  await rest(10_000)
  const before = await held()
  await rest(minutes * 60_000)
  const after = await held()
  return { megabytes: after, grown: after - before }
}
