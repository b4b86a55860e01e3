import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { vi } from 'vitest'
import { defineComponent, h, type Component } from 'vue'
import { createMemoryHistory, createRouter, type Router } from 'vue-router'
import type { LiveEvent } from '#contract'
import { closeLive } from '../parts/data/live'

/** What the server would answer, by method and path; a number refuses with that status, a promise takes its time. */
export type Answers = Record<string, unknown>
export interface Asked {
  method: string
  path: string
  body: unknown
}

/** Stands where the live feed is; `Feed.last` takes what the server would announce. */
export class Feed {
  static readonly CLOSED = 2
  static last: Feed
  readyState = 1
  onmessage?: (event: { data: string }) => void
  constructor() {
    Feed.last = this
  }
  announce(event: LiveEvent): void {
    this.onmessage?.({ data: JSON.stringify(event) })
  }
  close(): void {
    this.readyState = Feed.CLOSED
  }
}

/** Stands where the network is. Gives the list of what was asked. */
export function answerWith(answers: Answers): Asked[] {
  const asked: Asked[] = []
  vi.stubGlobal('fetch', (url: string, init: RequestInit = {}) => {
    const path = url.replace(/^\/api/, '')
    const method = init.method ?? 'GET'
    asked.push({ method, path, body: typeof init.body === 'string' ? (JSON.parse(init.body) as unknown) : undefined })
    const key = [`${method} ${path}`, `${method} ${path.split('?')[0]!}`].find((candidate) => candidate in answers)
    if (key === undefined) return Promise.reject(new TypeError('nobody answers'))
    return Promise.resolve(answers[key]).then((answer) => {
      const status = typeof answer === 'number' ? answer : 200
      const body =
        status === 200 ? answer : { type: '', title: '', status, code: 'refused', detail: `refused with ${status}` }
      return new Response(JSON.stringify(body), { status })
    })
  })
  closeLive()
  vi.stubGlobal('EventSource', Feed)
  return asked
}

/** Shows a component in an application as the real one, at an address; `path`: how the address is read. */
export async function show(
  component: Component,
  props: Record<string, unknown> = {},
  at = '/',
  path = '/:path(.*)*',
): Promise<{ page: VueWrapper; router: Router }> {
  const pinia = createPinia()
  setActivePinia(pinia)
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path, component: defineComponent({ render: () => h('i') }) }],
  })
  await router.push(at)
  const page = mount(component, { props, global: { plugins: [pinia, router] }, attachTo: document.body })
  await flushPromises()
  return { page, router }
}

/** There is no layout here: whatever asks how large it is has room for twenty rows and all columns. */
export function giveRoom(): void {
  const entry = { contentRect: { width: 1240, height: 700 } }
  vi.stubGlobal(
    'ResizeObserver',
    class {
      constructor(private readonly heard: (entries: unknown[]) => void) {}
      observe(target: Element): void {
        this.heard([{ ...entry, target, borderBoxSize: [] }])
      }
      unobserve(): void {}
      disconnect(): void {}
    },
  )
}

const field = (page: VueWrapper, label: string) =>
  page.findAllComponents({ name: 'ElSelectV2' }).find((each) => each.props('ariaLabel') === label)!

/** Chooses a value of a ChoiceField, as its list does. */
export async function choose(page: VueWrapper, label: string, value: unknown): Promise<void> {
  const list = field(page, label)
  list.vm.$emit('update:modelValue', value)
  list.vm.$emit('change', value)
  await flushPromises()
}

/** What a ChoiceField offers, in words. */
export function choicesOf(page: VueWrapper, label: string): string[] {
  return (field(page, label).props('options') as { label: string }[]).map((option) => option.label)
}
