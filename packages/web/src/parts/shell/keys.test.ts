import { mount } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { defineComponent, h } from 'vue'
import { activeKeys, useKeys } from './keys'

function place(name: string, key: string) {
  const run = vi.fn()
  const page = mount(
    defineComponent({
      setup() {
        useKeys(name, [{ key, does: '', run }])
        return () => h('i')
      },
    }),
  )
  return { run, page }
}
function press(key: string, on: EventTarget = document.body, more: KeyboardEventInit = {}): void {
  on.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, ...more }))
}
function element(html: string): HTMLElement {
  document.body.innerHTML = html
  return document.body.firstElementChild as HTMLElement
}

describe('keys', () => {
  it('belong to what is shown; the innermost wins, and is gone when it leaves', () => {
    const outer = place('Everywhere', 'h')
    const inner = place('Rounds', 'h')
    press('h')
    expect([outer.run.mock.calls.length, inner.run.mock.calls.length]).toEqual([0, 1])
    inner.page.unmount()
    press('h')
    expect(outer.run).toHaveBeenCalledOnce()
    outer.page.unmount()
    expect(activeKeys).toEqual([])
  })
  it('are letters while one types, and the browser’s own with Ctrl', () => {
    const { run, page } = place('Rounds', 'h')
    for (const html of ['<input>', '<textarea></textarea>', '<select></select>']) press('h', element(html))
    press('h', document.body, { ctrlKey: true })
    expect(run).not.toHaveBeenCalled()
    page.unmount()
  })
  it('leave Enter to the button that has the focus', () => {
    const { run, page } = place('Rounds', 'Enter')
    press('Enter', element('<button>go</button>'))
    expect(run).not.toHaveBeenCalled()
    press('Enter')
    expect(run).toHaveBeenCalledOnce()
    page.unmount()
  })
  it('rest while a dialog is open', () => {
    const { run, page } = place('Rounds', 't')
    element('<div class="el-overlay"></div>')
    press('t')
    element('<div class="el-overlay" style="display: none"></div>')
    press('t')
    expect(run).toHaveBeenCalledOnce()
    page.unmount()
  })
})
