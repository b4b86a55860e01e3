import { AsyncLocalStorage } from 'node:async_hooks'

/**
 * The request in whose course something is done; undefined: the server does it by itself. `token`: the name of the one
 * by which a program asks.
 */
export const asked = new AsyncLocalStorage<{ address: string; token?: string }>()
