import { spawn, type ChildProcess } from 'node:child_process'
import { existsSync, mkdirSync, openSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { connect } from 'node:net'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { debianOf, type Release } from './base'
import { ataTranscript, type AtaDrive } from './ataDrive'
import { makeGroups, removeGroups } from './cgroup'
import { startOf } from './place'
import { runTool, tool, type Done, type RunOptions } from './tools'

export interface HostOptions {
  release: Release
  name: string
  base: string
  folder: string
  bridge: string
  gateway: string
  address: string
}

/** systemd(1), “Signals”: SIGRTMIN+4 starts poweroff.target. Numbered, because Node knows no name for it. */
const powerOff = 38
/** What systemd-nspawn ends with when the host asked for a restart and --keep-unit is set. */
const wantsReboot = 133

const environment = {
  PATH: '/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin',
  LC_ALL: 'C.UTF-8',
  HOME: '/root',
  TERM: 'dumb',
}

/**
 * A Debian of its own with a live systemd, journald, polkit and OpenSSH: an overlay over a base, booted by
 * systemd-nspawn in a network namespace. What it has is what Debian's packages brought; nothing in it is imitated.
 */
export class RealHost {
  #nspawn: ChildProcess | null = null
  #ending = false
  /** Whether the host comes up again when it asks for a restart; settles with each boot. */
  #booted: Promise<void> = Promise.resolve()

  constructor(readonly options: HostOptions) {}

  get name(): string {
    return this.options.name
  }
  get address(): string {
    return this.options.address
  }
  get debian(): number {
    return debianOf[this.options.release]
  }
  /** Its whole tree, as this machine sees it. */
  get root(): string {
    return join(this.options.folder, 'root')
  }
  get #number(): string {
    return this.options.bridge.replace(/\D/g, '')
  }

  #namespace(): string {
    return namespaceOf(this.#number, this.name)
  }

  async #connectNetwork(): Promise<void> {
    const { bridge, address } = this.options
    const space = this.#namespace()
    const outer = `cu${this.#number}v${address.split('.').pop()}`
    if (existsSync(`/run/netns/${space}`)) return this.#plugIn()
    writeFileSync(join(this.options.folder, 'link'), outer)
    await tool('ip', 'netns', 'add', space)
    await tool('ip', 'link', 'add', outer, 'type', 'veth', 'peer', 'name', 'host0', 'netns', space)
    await tool('ip', 'link', 'set', outer, 'master', bridge, 'up')
    await tool('ip', '-n', space, 'addr', 'add', `${address}/24`, 'dev', 'host0')
    await tool('ip', '-n', space, 'link', 'set', 'lo', 'up')
    await this.#plugIn()
  }

  async #plugIn(): Promise<void> {
    const space = this.#namespace()
    await tool('ip', '-n', space, 'link', 'set', 'host0', 'up')
    await tool('ip', '-n', space, 'route', 'replace', 'default', 'via', this.options.gateway)
  }

  /** Sets what a machine of its own would set at its start (sysctl.d(5)), and a container of this sort may not. */
  async setKernel(setting: string): Promise<void> {
    await tool('ip', 'netns', 'exec', this.#namespace(), 'sysctl', '-qw', setting)
  }

  /** Has it pass on what others send through it, and tell them of no shorter way on their network. */
  async forward(): Promise<void> {
    const set = ['ip_forward=1', 'conf.all.send_redirects=0', 'conf.host0.send_redirects=0']
    await tool('ip', 'netns', 'exec', this.#namespace(), 'sysctl', '-qw', ...set.map((each) => `net.ipv4.${each}`))
  }

  async #mount(): Promise<void> {
    const { base, folder } = this.options
    for (const part of ['upper', 'work', 'root']) mkdirSync(join(folder, part), { recursive: true })
    if ((await runTool('mountpoint', ['-q', this.root])).code === 0) return
    await tool(
      'mount',
      '-t',
      'overlay',
      'overlay',
      '-o',
      `lowerdir=${base},upperdir=${join(folder, 'upper')},workdir=${join(folder, 'work')}`,
      this.root,
    )
  }

  /** Starts it, and waits until it is up: systemd says so, and SSH answers. */
  async boot(): Promise<void> {
    mkdirSync(this.options.folder, { recursive: true })
    await this.#connectNetwork()
    await this.#mount()
    writeFileSync(join(this.root, 'etc/hostname'), `${this.name}\n`)
    writeFileSync(join(this.root, 'etc/hosts'), `127.0.0.1 localhost ${this.name}\n`)
    mkdirSync(join(this.root, 'etc/ssh/sshd_config.d'), { recursive: true })
    writeFileSync(join(this.root, 'etc/ssh/sshd_config.d/test.conf'), 'PermitRootLogin yes\nUseDNS no\n')
    this.#ending = false
    this.#start()
    await this.#booted
  }

  #start(): void {
    const { folder } = this.options
    const log = openSync(join(folder, 'console.log'), 'a', 0o600)
    const groups = makeGroups(this.#namespace())
    const enter = groups.map((group) => `echo $$ > ${group}/cgroup.procs`).join('; ') || ':'
    const child = spawn(
      '/bin/sh',
      [
        '-c',
        `${enter}; exec systemd-nspawn "$@"`,
        'sh',
        '--quiet',
        '--register=no',
        '--keep-unit',
        '-D',
        this.root,
        `--machine=${this.name}`,
        '-b',
        '--link-journal=no',
        // A machine sets the rules of its own network.
        '--capability=CAP_NET_ADMIN',
        `--network-namespace-path=/run/netns/${this.#namespace()}`,
      ],
      { detached: true, stdio: ['ignore', log, log], env: environment },
    )
    this.#nspawn = child
    writeFileSync(join(folder, 'pid'), `${child.pid} ${startOf(child.pid!)}`)
    child.on('exit', (code) => {
      if (code === wantsReboot && !this.#ending) this.#start()
    })
    this.#booted = this.#untilUp()
    this.#booted.catch(() => undefined)
  }

  async #untilUp(): Promise<void> {
    const { folder } = this.options
    for (const end = Date.now() + 90_000; Date.now() < end; await wait(250)) {
      if (this.#leader() === null) continue
      const state = await this.run('systemctl is-system-running').catch(() => null)
      if (state && /^(running|degraded)$/.test(state.stdout.trim()) && (await answers(this.address, 22))) return
    }
    throw new Error(
      `${this.name} did not come up within 90 s; its console: ${readFileSync(join(folder, 'console.log'), 'utf8').slice(-600)}`,
    )
  }

  /** Its first process, as this machine numbers it. */
  #leader(): number | null {
    const pid = this.#nspawn?.pid
    if (pid === undefined || this.#nspawn!.exitCode !== null) return null
    return leaderOf(pid)
  }

  /** Runs a shell command in it as root. Never throws for an exit code. */
  async run(script: string, options: RunOptions = {}): Promise<Done> {
    const leader = this.#leader()
    if (leader === null) throw new Error(`${this.name} is not running`)
    return runTool('nsenter', ['-t', String(leader), '-m', '-u', '-i', '-n', '-p', '--', '/bin/sh', '-c', script], {
      ...options,
      env: { ...environment, ...options.env },
    })
  }

  /** The same, for a command that must succeed. @throws Error with its last words */
  async sh(script: string, options: RunOptions = {}): Promise<string> {
    const { code, stdout, stderr } = await this.run(script, options)
    if (code !== 0)
      throw new Error(
        `${this.name}: ${script.slice(0, 200)}: exit status ${code}: ${(stderr.trim() || stdout.trim()).split('\n').slice(-30).join(' / ')}`,
      )
    return stdout
  }

  write(path: string, text: string | Buffer, mode = 0o644): void {
    const file = join(this.root, path)
    mkdirSync(join(file, '..'), { recursive: true })
    writeFileSync(file, text, { mode })
  }

  async setPassword(user: string, password: string): Promise<void> {
    await this.sh('chpasswd', { input: `${user}:${password}\n` })
  }

  /**
   * Gives it another disk, with a file system of its own, at a place of its tree.
   * @param options of mkfs.ext4(8) and mount(8)
   * @returns the name of its device
   */
  async addDisk(mount: string, megabytes: number, options: { make?: string[]; mount?: string } = {}): Promise<string> {
    const image = join(this.options.folder, `disk${mount.replaceAll('/', '-')}`)
    await tool('truncate', '-s', `${megabytes}M`, image)
    await tool('mkfs.ext4', '-q', '-F', ...(options.make ?? []), image)
    const device = (await tool('losetup', '--find', '--show', image)).trim()
    await this.sh(
      `mkdir -p ${mount}; [ -e ${device} ] || mknod ${device} b 7 ${device.replace(/\D/g, '')}; mount ${options.mount ?? ''} ${device} ${mount}`,
    )
    // Goes with the mount.
    await tool('losetup', '--detach', device)
    return device
  }

  /** Has the kernel find an error on a disk (Linux kernel, Documentation/ABI/testing/sysfs-fs-ext4). */
  breakDisk(device: string): void {
    writeFileSync(`/sys/fs/ext4/${device.replace('/dev/', '')}/trigger_fs_error`, '1')
  }

  /**
   * Has its smartctl find made drives, and answer for them as it does for real ones: the program is Debian's, only the
   * words between it and the drive are read from a file (smartctl(8) takes them from its standard input).
   */
  setDrives(drives: Readonly<Record<string, AtaDrive>>): void {
    rmSync(join(this.root, 'srv/drives'), { recursive: true, force: true })
    mkdirSync(join(this.root, 'srv/drives'), { recursive: true })
    for (const [name, drive] of Object.entries(drives)) this.write(`/srv/drives/${name}`, ataTranscript(drive))
    this.write(
      '/usr/local/sbin/smartctl',
      `#!/bin/sh
case " $* " in *" --scan "*)
  for drive in /srv/drives/*; do [ -e "$drive" ] && echo "/dev/\${drive##*/} -d sat # made, ATA device"; done
  exit 0
esac
for last; do :; done
[ -s "/srv/drives/\${last##*/}" ] || exec /usr/sbin/smartctl "$@"
exec /usr/sbin/smartctl --json=c -i -H -A - < "/srv/drives/\${last##*/}"
`,
      0o755,
    )
  }

  /** Restarts it as its own administrator would, and waits until it is back. */
  async reboot(): Promise<void> {
    const before = this.#nspawn
    await this.run('systemctl reboot')
    for (const end = Date.now() + 60_000; this.#nspawn === before; await wait(100))
      if (Date.now() > end) throw new Error(`${this.name} did not go down within 60 s`)
    await this.#booted
  }

  /** Shuts it down in order; its disk stays. */
  async stop(): Promise<void> {
    await this.#end(powerOff)
  }

  /** Pulls the plug; its disk stays as it was at that moment. */
  async pullPlug(): Promise<void> {
    await this.#end('SIGKILL')
  }

  async #end(signal: number | 'SIGKILL'): Promise<void> {
    const child = this.#nspawn
    this.#ending = true
    if (!child || child.exitCode !== null || child.signalCode !== null) return
    const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()))
    const leader = this.#leader()
    // With its first process goes everything in it; systemd-nspawn alone would leave it running.
    const kill = () => [leader, child.pid!].forEach((pid) => pid !== null && signalTo(pid, 'SIGKILL'))
    if (signal !== 'SIGKILL' && leader !== null) signalTo(leader, signal)
    else kill()
    const late = setTimeout(kill, 20_000)
    await ended
    clearTimeout(late)
    // What is off passes nothing on either: the network of this machine would, for as long as it is there.
    await runTool('ip', ['-n', this.#namespace(), 'link', 'set', 'host0', 'down'])
    rmSync(join(this.options.folder, 'pid'), { force: true })
  }

  /** Keeps a copy of its disk. It must be down. */
  async snapshot(): Promise<void> {
    await this.#unmount()
    await tool('rm', '-rf', join(this.options.folder, 'snapshot'))
    await tool('cp', '-a', join(this.options.folder, 'upper'), join(this.options.folder, 'snapshot'))
  }

  /** Puts its disk back to the snapshot. It must be down. */
  async restore(): Promise<void> {
    await this.#unmount()
    await tool('rm', '-rf', join(this.options.folder, 'upper'), join(this.options.folder, 'work'))
    await tool('cp', '-a', join(this.options.folder, 'snapshot'), join(this.options.folder, 'upper'))
  }

  async copyDiskOf(other: RealHost): Promise<void> {
    mkdirSync(this.options.folder, { recursive: true })
    await tool('cp', '-a', join(other.options.folder, 'upper'), join(this.options.folder, 'upper'))
  }

  async #unmount(): Promise<void> {
    await runTool('umount', ['-R', '-l', this.root])
  }

  /** Ends it for good: nothing of it stays. */
  async end(): Promise<void> {
    await this.pullPlug()
    await RealHost.removeLeft(this.options.folder, this.#number, this.name)
  }

  /** Removes what is left of a host that nobody drives any more. */
  static async removeLeft(folder: string, number: string, name: string): Promise<void> {
    const link = join(folder, 'link')
    const file = join(folder, 'pid')
    if (existsSync(file)) {
      const [pid, start] = readFileSync(file, 'utf8').split(' ')
      if (startOf(Number(pid)) === start) {
        signalTo(Number(pid), 'SIGKILL')
        for (let i = 0; i < 100 && startOf(Number(pid)) === start; i++) await wait(50)
      }
    }
    const inside = await runTool('ip', ['netns', 'pids', namespaceOf(number, name)])
    for (const pid of inside.stdout.split('\n').filter(Boolean)) signalTo(Number(pid), 'SIGKILL')
    await removeGroups(namespaceOf(number, name))
    await runTool('umount', ['-R', '-l', join(folder, 'root')])
    // Both: a namespace lives on for as long as anything in it does, and its cable with it.
    if (existsSync(link)) await runTool('ip', ['link', 'del', readFileSync(link, 'utf8')])
    await runTool('ip', ['netns', 'del', namespaceOf(number, name)])
    await runTool('rm', ['-rf', '--one-file-system', folder])
  }
}

function namespaceOf(number: string, name: string): string {
  return `custode${number}-${name}`
}

function leaderOf(pid: number): number | null {
  try {
    const child = readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8').trim().split(' ')[0]
    return child ? Number(child) : null
  } catch {
    return null
  }
}

function signalTo(pid: number, signal: number | 'SIGKILL'): void {
  try {
    process.kill(pid, signal)
  } catch {
    // It is gone already.
  }
}

function answers(address: string, port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = connect({ host: address, port, timeout: 1000 })
    const end = (yes: boolean) => {
      socket.destroy()
      resolve(yes)
    }
    socket
      .on('connect', () => end(true))
      .on('error', () => end(false))
      .on('timeout', () => end(false))
  })
}
