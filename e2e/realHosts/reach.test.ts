import { setTimeout as wait } from 'node:timers/promises'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { DeviceReach, ReachLook } from '#contract'
import { day, type Values, type WatchSpec } from '#core'
import { answeringPackages, type RealHost } from '../../packages/standins/src/realHosts'
import { alertsOf, installAgent, leftOut, openHostHouse, until, watchFor, type HostHouse } from './hostHouse'

const watch = (key: string, kind: string, values: Values): WatchSpec => ({
  key,
  kind,
  name: key,
  why: '',
  osFamilies: [],
  values: { every: 10_000, recheck: 10_000, confirm: 2, timeout: 2000, from: ['tm-eye-*'], ...values },
})
const names = ['port', 'page', 'certificate', 'name', 'ping', 'mail'] as const

// One real host is looked at from two others; it has no agent. Each look is held against a tool of Debian's in the same
// minute, in the states that the thing can have.
describe.skipIf(leftOut)('reached from other hosts, Debian 13', () => {
  let here: HostHouse
  let shop: RealHost
  let eyes: [RealHost, RealHost]
  let id = 0

  /** Certificates of an authority that the hosts that look know: by days from now, and for a name. */
  const certificate = (name: string, days: number) =>
    `cd /root/t-ca && openssl req -newkey ec -pkeyopt ec_paramgen_curve:prime256v1 -nodes -keyout shop.key -subj /CN=${name} -out shop.csr 2>/dev/null
     printf 'subjectAltName=DNS:${name},IP:${shop.address}' > ext
     openssl x509 -req -in shop.csr -CA ca.pem -CAkey ca.key -CAcreateserial -days ${days} -extfile ext -out shop.pem 2>/dev/null
     systemctl reload nginx`

  beforeAll(async () => {
    here = await openHostHouse(1000)
    const [target, one, two] = await Promise.all(
      ['tm-shop', 'tm-eye-1', 'tm-eye-2'].map((name) => here.lan.add('trixie', name, answeringPackages)),
    )
    shop = target!
    eyes = [one!, two!]
    await shop.sh(`mkdir -p /root/t-ca && cd /root/t-ca
      openssl req -x509 -newkey ec -pkeyopt ec_paramgen_curve:prime256v1 -nodes -keyout ca.key -out ca.pem -subj '/CN=House' -days 90 2>/dev/null
      cat > /etc/nginx/conf.d/t.conf <<'CONF'
      server { listen 8080; root /srv/t-page; }
      server { listen 8443 ssl; ssl_certificate /root/t-ca/shop.pem; ssl_certificate_key /root/t-ca/shop.key; root /srv/t-page; }
CONF
      mkdir -p /srv/t-page; echo '<p>the shop is open</p>' > /srv/t-page/index.html
      printf 'listen on 0.0.0.0\\naction "l" mbox\\nmatch for local action "l"\\n' > /etc/smtpd.conf
      echo 'nameserver 127.0.0.1' > /etc/resolv.conf
      printf 'no-resolv\\naddress=/files.branch.example/192.0.2.44\\nbind-dynamic\\n' > /etc/dnsmasq.d/t.conf
      true`)
    await shop.sh(certificate('shop.branch.example', 60))
    await shop.sh('systemctl restart nginx opensmtpd dnsmasq')
    const ca = await shop.sh('cat /root/t-ca/ca.pem')
    for (const eye of eyes) {
      eye.write('/usr/local/share/ca-certificates/house.crt', ca)
      await eye.sh('update-ca-certificates >/dev/null 2>&1')
    }
    id = (
      await here.house.technician<{ id: number }>('POST', '/api/addresses', {
        siteId: here.siteId,
        name: 'tm-shop',
        address: shop.address,
      })
    ).body.id
    await watchFor(here, [
      watch('port', 'reach-port', { port: 80 }),
      watch('page', 'reach-page', { scheme: 'http', port: 8080, words: 'shop is open' }),
      watch('certificate', 'reach-certificate', { port: 8443, name: 'shop.branch.example' }),
      watch('name', 'reach-name', { name: 'files.branch.example', expect: ['192.0.2.44'] }),
      watch('ping', 'reach-ping', { loss: 0.3, slow: 200 }),
      watch('mail', 'reach-mail', {}),
    ])
    for (const eye of eyes) {
      const said = await installAgent(here, eye)
      expect(said).toContain('Its group may ping from the next start of this system on')
      // Which sysctl would read then.
      const file = await eye.sh('cat /etc/sysctl.d/60-custode-agent.conf')
      const group = (await eye.sh('id -g custode-agent')).trim()
      expect(file).toContain(`net.ipv4.ping_group_range = ${group} ${group}\n`)
      await eye.setKernel(file.trim().split('\n').at(-1)!.replaceAll(' = ', '='))
    }
  })
  afterAll(() => here.close())

  const reach = async () => (await here.house.technician<DeviceReach>('GET', `/api/devices/${id}/reach`)).body.of
  const looksAt = async (key: string): Promise<ReachLook[]> =>
    (await reach()).find(({ watch: name }) => name === key)?.by ?? []
  /** What both say of it, once both say the same. */
  const both = (key: string, isSo: (told: NonNullable<ReachLook['told']>) => boolean) =>
    until(
      `what both say of ${key}`,
      () => looksAt(key),
      (by) => by.length === 2 && by.every(({ told }) => told !== null && isSo(told)),
    ).then((by) => by.map(({ told }) => told!))
  const open = async () =>
    (await alertsOf(here, id)).filter(({ status }) => status !== 'closed').map(({ watch: key }) => key)
  const opened = (...keys: string[]) =>
    until(
      `alerts of ${keys.join(', ') || 'nothing'}`,
      open,
      (found) => found.toSorted().join() === keys.toSorted().join(),
    )
  const textOf = async (key: string) => (await alertsOf(here, id)).find((alert) => alert.watch === key)!.evidence!.text

  it('all is well: what each says is what nc, curl, openssl, dig and ping say from there', async () => {
    for (const name of names) await both(name, ({ outcome }) => outcome === 'good')
    const [eye] = eyes
    expect(await eye.sh(`nc -z -w 2 ${shop.address} 80 && echo open`)).toContain('open')
    const [page] = await looksAt('page')
    const curl = await eye.sh(`curl -s -o /dev/null -w '%{http_code} %{size_download}' http://${shop.address}:8080/`)
    expect(`${page!.told!.detail} ${page!.told!.size}`).toBe(curl.trim())
    const end = await eye.sh(
      `openssl s_client -connect ${shop.address}:8443 -servername shop.branch.example </dev/null 2>/dev/null | openssl x509 -noout -enddate`,
    )
    for (const told of await both('certificate', () => true))
      expect(told.expires).toBe(Date.parse(end.trim().replace('notAfter=', '')))
    const dig = await eye.sh(`dig +short @${shop.address} files.branch.example A`)
    for (const told of await both('name', () => true)) expect(told.detail).toBe(dig.trim())
    const pinged = /= [\d.]+\/([\d.]+)\//.exec(await eye.sh(`ping -n -q -c 5 -i 0.2 ${shop.address}`))!
    const [ping] = await both('ping', () => true)
    expect(ping!.loss).toBe(0)
    // Both well below a millisecond, on one machine.
    expect(Number(pinged[1])).toBeLessThan(10)
    expect(ping!.time!).toBeLessThan(10)
    const greeting = await eye.sh(`echo QUIT | nc -w 2 ${shop.address} 25 | head -1`)
    for (const told of await both('mail', () => true)) expect(told.detail).toBe(greeting.trim())
    expect(await open()).toEqual([])
  })

  it('broken, each in its way: told once both have confirmed it', async () => {
    // Every second ping of each is lost: with one count for both, one of them might lose none, and the other all.
    await shop.sh(`sed -i 's/listen 80 /listen 81 /; s/listen \\[::\\]:80 /listen [::]:81 /' /etc/nginx/sites-enabled/default
      echo '<p>the shop is closed</p>' > /srv/t-page/index.html
      sed -i s/192.0.2.44/192.0.2.45/ /etc/dnsmasq.d/t.conf; systemctl stop opensmtpd; systemctl restart dnsmasq nginx
      nft add table inet t; nft 'add chain inet t in { type filter hook input priority 0; }'
      for eye in ${eyes.map(({ address }) => address).join(' ')}; do
        nft add rule inet t in ip saddr $eye icmp type echo-request numgen inc mod 2 0 drop
      done`)
    await shop.sh(certificate('shop.branch.example', 5))
    await opened(...names)
    expect(await textOf('port')).toMatch(
      /^port 80 refuses the connection, \d+ times in a row, seen from tm-eye-1 and tm-eye-2$/,
    )
    expect(await textOf('page')).toMatch(/^http page \/ at port 8080 does not have “shop is open”/)
    expect(await textOf('certificate')).toMatch(/^certificate at port 8443 for shop.branch.example is valid for 4 d/)
    expect(await textOf('name')).toMatch(/^A of files.branch.example is answered with 192.0.2.45, /)
    expect(await textOf('ping')).toMatch(/^ping loses (40|60) %/)
    expect(await textOf('mail')).toMatch(/^SMTP at port 25 refuses the connection/)
    const eye = eyes[1]
    expect(await eye.sh(`nc -z -w 2 ${shop.address} 80 || echo refused`)).toContain('refused')
    expect(await eye.sh(`dig +short @${shop.address} files.branch.example A`)).toContain('192.0.2.45')
  })

  it('broken otherwise: what is told is the new fault', async () => {
    await shop.sh(`nft flush chain inet t in
      nft add rule inet t in tcp dport 80 drop; nft add rule inet t in icmp type echo-request drop
      rm /srv/t-page/index.html; systemctl stop dnsmasq
      printf '[Socket]\\nListenStream=0.0.0.0:25\\nAccept=yes\\n' > /etc/systemd/system/away.socket
      printf '[Service]\\nExecStart=/usr/bin/echo 554 not today\\nStandardOutput=socket\\n' > /etc/systemd/system/away@.service
      systemctl daemon-reload; systemctl start away.socket`)
    await shop.sh(certificate('other.branch.example', 60))
    await both('port', ({ fault }) => fault === 'timeout')
    await both('page', ({ fault, detail }) => fault === 'status' && detail === '403')
    await both('certificate', ({ fault, detail }) => fault === 'name' && detail!.startsWith('other.branch.example'))
    await both('name', ({ fault }) => fault === 'refused')
    await both('ping', ({ fault }) => fault === 'timeout')
    await both('mail', ({ fault, detail }) => fault === 'greeting' && detail === '554 not today')
    expect((await open()).toSorted()).toEqual([...names].toSorted())
  })

  it('well again: every alert closes by itself, and the first has its true beginning', async () => {
    await shop.sh(`nft delete table inet t; systemctl stop away.socket
      sed -i 's/listen 81 /listen 80 /; s/listen \\[::\\]:81 /listen [::]:80 /' /etc/nginx/sites-enabled/default
      echo '<p>the shop is open</p>' > /srv/t-page/index.html; sed -i s/192.0.2.45/192.0.2.44/ /etc/dnsmasq.d/t.conf
      systemctl restart nginx dnsmasq; sleep 1; systemctl restart opensmtpd`)
    await shop.sh(certificate('shop.branch.example', 60))
    await opened()
    for (const alert of await alertsOf(here, id)) {
      expect(alert.closeReason).toBe('cleared')
      expect(alert.raisedAt - alert.began).toBeGreaterThan(alert.watch === 'certificate' ? -1 : 5000)
      expect(alert.raisedAt - alert.began).toBeLessThan(day)
    }
  })

  it('cut off from one of the two only: nobody is told, and it is said which', async () => {
    await shop.sh(`nft add table inet t; nft 'add chain inet t in { type filter hook input priority 0; }'
      nft add rule inet t in ip saddr ${eyes[0].address} tcp dport 80 drop`)
    await until(
      'one that does not reach it',
      () => looksAt('port'),
      (by) => by[0]!.told?.fault === 'timeout' && by[0]!.told.inARow >= 2 && by[1]!.told?.outcome === 'good',
    )
    await wait(3000)
    expect(await open()).toEqual([])
    await shop.sh('nft delete table inet t')
  })

  it('where its user may not ping it says so, and what to do', async () => {
    for (const eye of eyes) await eye.setKernel('net.ipv4.ping_group_range=1 0')
    const told = await both('ping', ({ outcome }) => outcome === 'trouble')
    expect(told.map(({ trouble }) => trouble)).toEqual(['no-rights', 'no-rights'])
    expect(await eyes[0].sh(`setpriv --reuid=nobody --no-new-privs ping -c 1 ${shop.address} 2>&1 || true`)).toMatch(
      /cap_net_raw|not permitted/,
    )
  })

  it('where there is no ping, it says so; that is no word about the other', async () => {
    for (const eye of eyes) await eye.sh('mv /bin/ping /root/ping')
    await both('ping', ({ trouble }) => trouble === 'no-ping')
    await opened('ping')
    expect(await textOf('ping')).toMatch(/^ping cannot be looked at: tm-eye-1: /)
    for (const eye of eyes) {
      await eye.sh('mv /root/ping /bin/ping')
      const group = (await eye.sh('id -g custode-agent')).trim()
      await eye.setKernel(`net.ipv4.ping_group_range=${group} ${group}`)
    }
    await opened()
  })

  it('an agent that is stopped by root and started anew goes on where it was told to look', async () => {
    const [eye] = eyes
    await eye.sh('systemctl restart custode-agent')
    const before = Date.now()
    await until(
      'another word of it',
      () => looksAt('port'),
      (by) => (by[0]!.toldAt ?? 0) > before && by[0]!.told?.outcome === 'good',
    )
    expect(await open()).toEqual([])
  })
})
