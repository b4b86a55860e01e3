import { join } from 'node:path'
import { root } from './place.mjs'

/** The demo, with the web application served by Vite on a port of its own and reloaded as it changes. */
export async function dev() {
  const { createServer } = await import('vite')
  const { demo } = await import('./demo.mjs')
  const port = Number(process.env.CUSTODE_PORT ?? 7700)
  const web = await createServer({
    root: join(root, 'packages/web'),
    server: { port: 7702, host: '127.0.0.1', proxy: { '/api': `http://127.0.0.1:${port}` } },
  })
  await web.listen()
  process.stdout.write('\n  http://127.0.0.1:7702 reloads as you change packages/web\n')
  try {
    await demo()
  } finally {
    await web.close()
  }
}
