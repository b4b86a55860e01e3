import type { DeviceTraits } from '../estate'

/** A device as tests set it up: a web server at the harbour, with nginx running. */
export const webServer: DeviceTraits = {
  id: 7,
  name: 'tm-web-1',
  clientId: 1,
  siteId: 11,
  kind: 'server',
  osFamily: 'linux',
  osName: 'Debian GNU/Linux 12',
  roles: ['web'],
  tags: ['lab'],
  addresses: ['192.0.2.9', '2001:db8::9'],
  facts: { services: [{ name: 'nginx', title: '', start: 'automatic', state: 'running' }] },
}
