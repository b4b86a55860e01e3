import { flushPromises } from '@vue/test-utils'
import { beforeEach, describe, expect, it } from 'vitest'
import type { AlertActed, AlertView } from '#contract'
import { useSession } from '../../parts/data/session'
import { answerWith, choicesOf, choose, show } from '../../testing/page'
import AlertActs from './AlertActs.vue'

const person = { id: 1, email: 'a@lanternfield.example', name: 'A', access: 'technician', clientIds: null, lookedAt: 0 }
const colleague = { id: 2, name: 'R. Okafor', access: 'technician' }
const alert = (id: number, more: Partial<AlertView> = {}) =>
  ({
    id,
    status: 'open',
    closeReason: null,
    takenBy: null,
    takenById: null,
    offeredTo: null,
    offeredToId: null,
    offeredBy: null,
    offeredWord: '',
    hiddenUntil: null,
    ...more,
  }) as AlertView

beforeEach(() => {
  document.body.innerHTML = ''
})
async function open(alerts: AlertView[], acted: AlertActed[] = alerts.map(({ id }) => ({ id, problem: null }))) {
  const asked = answerWith({
    'GET /session': person,
    'GET /clients': [],
    'GET /people': [person, colleague, { id: 3, name: 'Harbour', access: 'contact' }],
    'POST /alerts/acts': acted,
  })
  const { page } = await show(AlertActs, { alerts })
  await useSession().load()
  await flushPromises()
  const press = async (text: string) => {
    await page
      .findAll('button')
      .find((button) => button.text().startsWith(text))!
      .trigger('click')
    await flushPromises()
  }
  const posted = () => asked.filter(({ method }) => method === 'POST').map(({ body }) => body)
  return { page, press, posted }
}

describe('what is done with alerts', () => {
  it('is sent for all of them at once, and told', async () => {
    const { page, press, posted } = await open([alert(1), alert(2)])
    await press('Take')
    expect(posted()).toEqual([{ ids: [1, 2], text: '', do: 'take' }])
    expect(document.body.textContent).toContain('They are yours.')
    expect(page.emitted('changed')).toHaveLength(1)
  })
  it('says of how many it was not done, and why', async () => {
    const { press } = await open(
      [alert(1), alert(2)],
      [
        { id: 1, problem: null },
        { id: 2, problem: 'This alert is closed.' },
      ],
    )
    await press('Take')
    expect(document.body.textContent).toContain('1 of 2 not: This alert is closed.')
  })
  it('asks before it is taken from somebody', async () => {
    const { press, posted } = await open([alert(1, { status: 'taken', takenBy: 'R. Okafor', takenById: 2 })])
    await press('Take')
    expect([document.body.textContent?.includes('R. Okafor has taken it. Take over all the same?'), posted()]).toEqual([
      true,
      [],
    ])
  })
  it('is handed to a colleague with a word, and to no contact of a client', async () => {
    const { page, press, posted } = await open([alert(1)])
    await press('Hand over')
    expect(choicesOf(page, 'To whom')).toEqual(['to whom?', 'R. Okafor'])
    await choose(page, 'To whom', 2)
    await page.get('input[aria-label="A word with it"]').setValue('spare part comes at ten')
    await page.findAll('form')[0]!.trigger('submit')
    await flushPromises()
    expect(posted()).toEqual([{ ids: [1], text: 'spare part comes at ten', do: 'hand-over', personId: 2 }])
  })
  it('is accepted, or not, by whom it was handed to', async () => {
    const offer = { offeredToId: 1, offeredTo: 'A', offeredBy: 'R. Okafor', offeredWord: 'I am on leave' }
    const { page, press, posted } = await open([alert(1, offer)])
    expect(page.text()).toContain('R. Okafor hands it to you: “I am on leave”')
    await press('Do not accept')
    expect(posted()).toEqual([{ ids: [1], text: '', do: 'decline' }])
  })
  it('offers to open again only what somebody has closed by hand', async () => {
    const closed = { status: 'closed', closeReason: 'by-hand' } as const
    const { page, press, posted } = await open([
      alert(1, closed),
      alert(2, { status: 'closed', closeReason: 'cleared' }),
    ])
    expect(page.text()).not.toMatch(/Take|Close…|Hide…/)
    await press('Open again')
    expect(posted()).toEqual([{ ids: [1], text: '', do: 'reopen' }])
  })
})
