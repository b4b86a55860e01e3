import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it } from 'vitest'
import { useSession } from '../../../parts/data/session'
import { answerWith, choose, show } from '../../../testing/page'
import CredentialList from './CredentialList.vue'

enableAutoUnmount(afterEach)

describe('a form that is written as a sentence', () => {
  async function open(answer: unknown) {
    const asked = answerWith({ 'GET /credentials': [], 'POST /credentials': answer })
    const { page } = await show(CredentialList)
    useSession().clients = [{ id: 1, name: 'Tidemill Ferries', code: 'tm', deviceCount: 1, sites: [] }]
    await page.get('button').trigger('click')
    const submit = async () => {
      await page.get('form').trigger('submit')
      // The schema is loaded with the first look.
      await expect
        .poll(() => page.findAll('[role=alert] p').length + asked.filter(({ method }) => method === 'POST').length)
        .toBeGreaterThan(0)
      await flushPromises()
    }
    return { page, asked, submit, posted: () => asked.filter(({ method }) => method === 'POST') }
  }
  it('is held against the schema of its route: each fault leads to its field, and nothing is sent', async () => {
    const { page, submit, posted } = await open({ id: 1 })
    await page.get('[aria-label=User]').setValue('')
    await submit()
    expect(page.findAll('[role=alert] p').map((line) => line.text())).toEqual([
      'Of: Say whose machines these are.',
      'Called: is not allowed to be empty',
      'User: is not allowed to be empty',
      'Secret: is not allowed to be empty',
    ])
    expect(page.get('[aria-label=Called]').attributes('aria-invalid')).toBe('true')
    await page.findAll('[role=alert] button')[3]!.trigger('click')
    expect(document.activeElement?.getAttribute('aria-label')).toBe('Secret')
    expect(posted()).toEqual([])
  })
  it('sends what fits, without the spaces that came along when it was pasted', async () => {
    const { page, submit, posted } = await open({ id: 1 })
    await choose(page, 'Of', '1 ')
    await page.get('[aria-label=Called]').setValue(' Harbour ')
    await page.get('[aria-label=User]').setValue('root ')
    await page.get('[aria-label=Secret]').setValue(' kept as it is ')
    await submit()
    expect(posted()[0]!.body).toMatchObject({
      clientId: 1,
      name: 'Harbour',
      userName: 'root',
      secret: ' kept as it is ',
    })
  })
})
