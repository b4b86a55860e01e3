import { enableAutoUnmount } from '@vue/test-utils'
import { afterEach, expect, it } from 'vitest'
import type { AlertPage } from '#contract'
import { show } from '../../testing/page'
import WhySteps from './WhySteps.vue'

enableAutoUnmount(afterEach)

it('shows of a long history the newest notes, says how many were before, and shows them all when asked to', async () => {
  const alert = {
    rule: { kind: 'disk-space', name: 'Free space', sentence: [], sources: [] },
    began: 1,
    evidence: null,
    windowId: null,
    entries: Array.from({ length: 30 }, (_, i) => ({
      at: i,
      event: 'note',
      detail: {},
      by: 'R. Okafor',
      text: `note ${i + 1}.`,
    })),
  } as unknown as AlertPage
  const { page } = await show(WhySteps, { alert, held: null, remediation: null })
  const text = () => page.text().replace(/\s+/g, ' ')
  expect([
    text().includes('note 30.'),
    text().includes('note 18.'),
    text().includes('18 entries before these'),
  ]).toEqual([true, false, true])
  await page.get('button.link').trigger('click')
  expect([text().includes('note 1.'), text().includes('before these')]).toEqual([true, false])
})
