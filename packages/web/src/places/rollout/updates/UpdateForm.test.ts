import { flushPromises } from '@vue/test-utils'
import { beforeEach, expect, it, vi } from 'vitest'
import type { VersionDevice } from '#contract'
import { answerWith, choicesOf, choose, show } from '../../../testing/page'
import { useSession } from '../../../parts/data/session'
import UpdateForm from './UpdateForm.vue'

const device = (id: number, more: Partial<VersionDevice> = {}): VersionDevice => ({
  id,
  name: `d-${id}`,
  clientName: 'Tidemill Ferries',
  version: '0.9.0',
  ...more,
})
const person = { id: 1, email: 'a@lanternfield.example', name: 'A', access: 'technician', clientIds: null, lookedAt: 0 }
const client = (id: number, name: string) => ({ id, name, code: 'c', deviceCount: 2, sites: [] })
const releases = [
  { version: '1.0.0', architectures: ['x64'] },
  { version: '0.9.0', architectures: ['x64'] },
]
beforeEach(() => {
  document.body.innerHTML = ''
})

async function open(devices: VersionDevice[], answer: unknown = { id: 7 }) {
  const asked = answerWith({
    'GET /session': person,
    'GET /clients': [client(1, 'Tidemill Ferries'), client(2, 'Brindle Bakeries')],
    'GET /agent-versions/devices': devices,
    'POST /update-runs': answer,
  })
  const { page } = await show(UpdateForm, { releases })
  await useSession().load()
  await flushPromises()
  return { page, asked }
}

it('offers the newest version to those that are behind and could go back, first a few', async () => {
  const { page, asked } = await open(Array.from({ length: 30 }, (_, i) => device(i + 1)))
  expect(asked.map(({ path }) => path)).toContain('/agent-versions/devices?behind=1.0.0')
  expect(page.text()).toContain('30 devices in 3 waves: 3, 15, 12.')
  await page.get('form').trigger('submit')
  // The schema that it is held against comes with the first look.
  await vi.waitFor(() => expect(asked.at(-1)!.method).toBe('POST'), 5000)
  await flushPromises()
  expect(asked.at(-1)!.body).toMatchObject({
    version: '1.0.0',
    waves: [3, 15],
    mostFailed: 0,
    minutes: 5,
    deviceIds: Array.from({ length: 30 }, (_, i) => i + 1),
  })
  expect(page.emitted('started')).toEqual([[7]])
})
it('is narrowed to a client, and single devices are left out', async () => {
  const { page, asked } = await open([device(1), device(2)])
  expect(choicesOf(page, 'Whose')).toContain('every agent at Tidemill Ferries')
  await choose(page, 'Whose', 1)
  await flushPromises()
  expect(asked.at(-1)!.path).toBe('/agent-versions/devices?behind=1.0.0&client=1')
  await page
    .findAll('button')
    .find((button) => button.text() === 'choose which')!
    .trigger('click')
  await flushPromises()
  await page
    .findAll('label')
    .find((label) => label.text() === 'Update d-1')!
    .get('input')
    .setValue(false)
  expect(page.text()).toContain('1 device in 1 wave: 1.')
  await page.get('form').trigger('submit')
  // The schema that it is held against comes with the first look.
  await vi.waitFor(() => expect(asked.at(-1)!.method).toBe('POST'), 5000)
  await flushPromises()
  expect(asked.at(-1)!.body).toMatchObject({ deviceIds: [2], waves: [] })
})
it('a refusal keeps what was typed', async () => {
  const { page, asked } = await open([device(1)], 400)
  await page.get('[aria-label="Minutes to report"]').setValue(9)
  await page.get('form').trigger('submit')
  await vi.waitFor(() => expect(asked.at(-1)!.method).toBe('POST'), 5000)
  await flushPromises()
  expect(page.emitted('started')).toBeUndefined()
  expect((page.get('[aria-label="Minutes to report"]').element as HTMLInputElement).value).toBe('9')
})
it('says so when there is nothing to do', async () => {
  const { page } = await open([])
  expect(page.text()).toContain('Every agent there runs 1.0.0 already')
  expect(page.get('button').attributes('disabled')).toBeDefined()
})
