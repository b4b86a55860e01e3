import { expect, it } from 'vitest'
import { watchKind } from '#core'
import { answerWith, show } from '../../../testing/page'
import InstanceTrial from './InstanceTrial.vue'

it('what is typed is tried on a device that gets the template, and a name is picked off it', async () => {
  answerWith({
    'POST /targets/matches': {
      count: 1,
      sample: [{ deviceId: 4, deviceName: 'tm-gate-1', clientName: 'Tidemill Ferries' }],
    },
    'GET /devices/4': {
      facts: {
        logs: [
          { name: 'syslog', collected: true },
          { name: 'nginx/error.log', collected: false },
        ],
      },
    },
  })
  const choosing = watchKind('log-match').choosing!
  const { page } = await show(InstanceTrial, {
    choosing,
    values: { channel: '' },
    typing: { name: 'channel', value: 'nginx/*' },
    targets: [{ on: 'everyone' }],
  })
  expect(page.text()).toContain('1 of 2 are in')
  expect(page.findAll('li').map((element) => element.text())).toEqual([
    'nginx/error.logread from now on when it is chosenin',
    'syslogread alreadyout',
  ])
  await page.get('li button').trigger('click')
  expect(page.emitted('pick')).toEqual([['nginx/error.log']])
  await page.setProps({ typing: { name: 'channel', value: '' } })
  expect(page.text()).toContain('2 of 2 are in')
})

it('warns when what is typed hides what a role needs: of a device by what it has, else of any', async () => {
  answerWith({ 'POST /targets/matches': { count: 0, sample: [] } })
  const choosing = watchKind('service-state').choosing!
  const values = { names: ['*'], except: [] }
  const device = {
    name: 'tm-gate-1',
    roles: ['web'],
    facts: {
      services: [
        { name: 'nginx', title: '' },
        { name: 'mysql', title: '' },
      ],
    },
  }
  const typing = (value: string[]) => ({ typing: { name: 'except', value } })
  const { page } = await show(InstanceTrial, { choosing, values, targets: [], device, ...typing(['*n*']) })
  expect(page.get('[role=status]').text()).toBe('This hides nginx, which the role web needs.')
  await page.setProps(typing(['mysql']))
  expect(page.find('[role=status]').exists()).toBe(false)
  await page.setProps({ isWider: true })
  expect(page.get('[role=status]').text()).toContain('mysql, which the role database needs')
  const { page: anywhere } = await show(InstanceTrial, { choosing, values, targets: [], ...typing(['mysql']) })
  expect(anywhere.get('[role=status]').text()).toBe('This hides mysql, which the role database needs.')
})
