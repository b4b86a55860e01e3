import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import type { DevicePage } from '#contract'
import DeviceRefused from './DeviceRefused.vue'

const shown = (more: Partial<DevicePage>) =>
  mount(DeviceRefused, {
    props: {
      device: { lostReports: 0, leftOutEntries: 0, oldEntries: 0, refusedCount: 0, refused: [], ...more } as DevicePage,
    },
  })

describe('what of a device’s reports was not kept', () => {
  it('takes no room where all was', () => {
    expect(shown({}).text()).toBe('')
  })
  it('is told with how many, why, and what was sent', async () => {
    const page = shown({
      refusedCount: 180,
      refused: [
        {
          id: 1,
          at: Date.now() - 60_000,
          seq: 7,
          pointer: '/reports/0',
          code: 'not-kept',
          detail: 'The database does not take it: no partition',
          body: '{"seq":7}',
        },
      ],
    })
    expect(page.text()).toContain('180 parts of its reports could not be kept; the rest was.')
    await page.get('button').trigger('click')
    expect(page.get('li').text()).toContain('The database does not take it: no partition')
    expect(page.get('pre').text()).toBe('{"seq":7}')
  })
  it('shows a contact the number alone', () => {
    expect(shown({ refusedCount: 1 }).find('button').exists()).toBe(false)
  })
  it('says what never came, what was left out, and what was too old', () => {
    expect(shown({ lostReports: 1, leftOutEntries: 29_600, oldEntries: 2 }).text().replace(/\s+/g, ' ')).toBe(
      '1 report never came. 29,600 log entries left out, because more came at once than an agent tells; the most urgent were kept. 2 log entries were older than is kept.',
    )
  })
})
