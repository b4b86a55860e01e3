import { createServer, type Server } from 'node:http'
import type { Station } from './station'

const escape = (text: string) =>
  text.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]!)

type Act = (station: Station, what: string) => void

/** What can be made to happen. Each takes effect with the device's next report, as it would on a real one. */
const acts: Record<string, Act> = {
  'stop service': ({ device }, what) => device.stop(what),
  'start service': ({ device }, what) => device.start(what),
  'fill disk': ({ device }, what) => void (device.meddling.filled.includes(what) || device.meddling.filled.push(what)),
  'empty disk': ({ device }, what) => {
    device.meddling.filled = device.meddling.filled.filter((filled) => filled !== what)
  },
  'write log error': ({ device }) => {
    const linux = !device.plan.os.startsWith('Windows')
    for (let i = 0; i < 3; i++)
      device.meddling.events.push({
        at: Date.now() + i,
        channel: linux ? 'syslog' : 'System',
        source: linux ? 'kernel' : 'disk',
        id: linux ? null : 7,
        level: 'error',
        text: linux ? 'I/O error, dev sdb, sector 204800' : 'The device has a bad block.',
      })
  },
  'write backup success': ({ device }) =>
    void device.meddling.events.push({
      at: Date.now(),
      channel: 'syslog',
      source: 'nightly-backup',
      id: null,
      level: 'informational',
      text: 'nightly run completed, 1 284 files, 0 errors',
    }),
  'begin a loop': ({ device }) => {
    device.meddling.loops = true
  },
  'end the loop': ({ device }) => {
    device.meddling.loops = false
  },
  'pull the plug': ({ device }) => {
    device.meddling.unplugged = true
  },
  'plug in again': ({ device }) => {
    device.meddling.unplugged = false
  },
}

function button(device: string, act: string, what: string, label: string): string {
  return `<form method="post" action="/do"><input type="hidden" name="device" value="${escape(device)}"><input type="hidden" name="act" value="${act}"><input type="hidden" name="what" value="${escape(what)}"><button>${escape(label)}</button></form>`
}

function rowOf(station: Station): string {
  const { device } = station
  const { name, client } = device.plan
  const now = Date.now()
  const services = device
    .services(now)
    .filter((service) => service.start === 'automatic' && service.state !== 'finished')
    .map((service) =>
      service.state === 'running'
        ? button(name, 'stop service', service.name, `stop ${service.name}`)
        : button(name, 'start service', service.name, `start ${service.name}`),
    )
    .join('')
  const disks = Object.keys(device.plan.disks)
    .map((mount) =>
      device.meddling.filled.includes(mount)
        ? button(name, 'empty disk', mount, `empty ${mount}`)
        : button(name, 'fill disk', mount, `fill ${mount}`),
    )
    .join('')
  const rest =
    button(name, 'write log error', '', 'write log errors') +
    (device.plan.roles.includes('backup') ? button(name, 'write backup success', '', 'backup reports success') : '') +
    (device.meddling.loops
      ? button(name, 'end the loop', '', 'end the loop')
      : button(name, 'begin a loop', '', 'run a program in a loop'))
  const plug = device.meddling.unplugged
    ? button(name, 'plug in again', '', 'plug in again')
    : button(name, 'pull the plug', '', 'pull the plug')
  return `<tr id="${escape(name)}"><th>${escape(name)}<small>${escape(client)}</small></th><td>${services}</td><td>${disks}</td><td>${rest}${plug}</td></tr>`
}

function page(stations: readonly Station[], done: string): string {
  return `<!doctype html><meta charset="utf-8"><title>Make things happen</title><style>
    body{font:14px/20px sans-serif;margin:20px;background:#f4efe6;color:#1b2430}table{border-collapse:collapse}th,td{text-align:left;vertical-align:top;padding:6px 12px;border-top:1px solid #ddd5c6}
    th small{display:block;color:#616b76;font-weight:400}form{display:inline}button{margin:1px 3px 1px 0;border:1px solid #566170;border-radius:3px;background:#fff;font:inherit;padding:0 7px}</style>
    <h1>Make things happen</h1><p>Stand-in devices of the demo. What you do here shows with the device's next report.</p><p role="status"><b>${escape(done)}</b></p>
    <table><tr><th>Device<th>Services<th>Disks<th>Other</tr>${stations.map(rowOf).join('')}</table>`
}

export function startPanel(stations: readonly Station[], port: number): Server {
  const server = createServer((request, response) => {
    const answer = (status: number, headers: Record<string, string>, body = '') =>
      response.writeHead(status, headers).end(body)
    const { pathname, searchParams } = new URL(request.url ?? '/', 'http://panel')
    if (request.method === 'GET' && pathname === '/')
      return answer(200, { 'content-type': 'text/html' }, page(stations, searchParams.get('done') ?? ''))
    if (request.method !== 'POST' || pathname !== '/do') return answer(404, {})
    let text = ''
    request.on('data', (chunk: Buffer) => {
      if (text.length < 10_000) text += chunk.toString()
    })
    request.on('end', () => {
      const form = new URLSearchParams(text)
      const station = stations.find((station) => station.device.plan.name === form.get('device'))
      const act = acts[form.get('act') ?? '']
      if (!station || !act) return answer(400, {}, 'no such device or act')
      act(station, form.get('what') ?? '')
      return answer(303, {
        location: `/?done=${encodeURIComponent(`${station.device.plan.name}: ${form.get('act')} ${form.get('what')}`)}#${station.device.plan.name}`,
      })
    })
  })
  return server.listen(port, '127.0.0.1')
}
