import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, expect, it, vi } from 'vitest'
import { answerWith, choose, show } from '../../../testing/page'
import ExceptionDialog from './ExceptionDialog.vue'

enableAutoUnmount(afterEach)
afterEach(() => vi.unstubAllGlobals())

it('what an exception leaves out is tried on a device that it reaches, while one types', async () => {
  answerWith({
    'GET /people': [],
    'GET /clients': [],
    'GET /roles': [],
    'GET /devices/4': {
      facts: {
        services: [
          { name: 'nginx', title: '' },
          { name: 'updater', title: '' },
        ],
      },
    },
    'POST /targets/matches': {
      devices: 1,
      count: 1,
      faults: [],
      sample: [{ deviceId: 4, deviceName: 'tm-gate-1', clientName: 'Tidemill Ferries' }],
    },
  })
  const { page } = await show(ExceptionDialog, {
    watches: [{ key: 'services', kind: 'service-state', name: 'Services' }],
    target: { on: 'everyone' },
  })
  await flushPromises()
  const dialog = document.querySelector<HTMLElement>('.el-dialog')!
  await choose(page, 'Parameter', 'except')
  await flushPromises()
  const field = dialog.querySelector<HTMLTextAreaElement>('.editor textarea')!
  field.value = '*update*'
  field.dispatchEvent(new Event('input'))
  await flushPromises()
  expect(dialog.textContent).toContain('1 of 2 are in')
  expect(dialog.querySelector('.trial [role=status]')).toBeNull()
  field.value = 'nginx'
  field.dispatchEvent(new Event('input'))
  await flushPromises()
  expect(dialog.querySelector('.trial [role=status]')!.textContent).toContain('This hides nginx')
})
