import { mount } from '@vue/test-utils'
import { expect, it } from 'vitest'
import AwayNotice from './AwayNotice.vue'

it('says which server is missing and since when there are readings, and is not there otherwise', () => {
  const away = { server: 'cellar', before: Date.UTC(2026, 8, 1) }
  const text = mount(AwayNotice, { props: { away } }).text().replace(/\s+/g, ' ')
  expect(text).toMatch(/^What was before .*1 Sep.* lies on another database server, cellar, which does not answer now/)
  expect(mount(AwayNotice, { props: { away: null } }).text()).toBe('')
})
