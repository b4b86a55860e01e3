import { expect, it } from 'vitest'
import { Fragment, createCommentVNode, h } from 'vue'
import { choicesIn } from './choice'

it('reads options as HTML means them: value or text, groups, what loops and conditions have left', () => {
  expect(
    choicesIn([
      h('option', { value: '' }, 'any role'),
      createCommentVNode('v-if'),
      h(Fragment, [h('option', { value: 3 }, ['the\n  role ', 'web']), h('option', 'server')]),
      h('optgroup', { label: 'Tidemill' }, [h(Fragment, [h('option', { value: null }, 'nobody')])]),
      h('option', { value: 0, disabled: '' }, 'which?'),
      h('option', { value: true, disabled: false }, 'yes'),
    ]),
  ).toEqual([
    { value: '', text: 'any role' },
    { value: 3, text: 'the role web' },
    { value: 'server', text: 'server' },
    { value: null, text: 'nobody', group: 'Tidemill' },
    { value: 0, text: 'which?', disabled: true },
    { value: true, text: 'yes' },
  ])
})
