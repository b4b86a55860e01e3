import { AsyncLocalStorage } from 'node:async_hooks'

/** The request in whose course something is done; undefined: the server does it by itself. */
export const asked = new AsyncLocalStorage<{ address: string }>()
