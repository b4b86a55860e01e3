import { spawn } from 'node:child_process'
import { chmodSync, lchownSync, lstatSync, mkdirSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { generateKeyPairSync } from 'node:crypto'
import { join } from 'node:path'
import ssh, { type Connection, type Server } from 'ssh2'

/** What is wrong with a stand-in machine; null: nothing. */
export type Trouble =
  | 'refuses the password'
  | 'is slow'
  | 'has no space'
  | 'is another system'
  | 'gives no rights'
  | 'changes its host key'
  | null

export interface SshHost {
  address: string
  trouble: Trouble
  user: string
  password: string
}

/** Where a stand-in machine keeps what is installed on it. */
export const rootOf = (folder: string, address: string) => join(folder, address)

const programs: Record<string, string> = {
  'has no space': `df#!/bin/sh\necho 'Filesystem 1024-blocks Used Available Capacity Mounted on'\necho '/dev/full 40000000 39990000 10000 100% /'\n`,
  'is another system': `uname#!/bin/sh\necho SunOS\n`,
}

/** Whoever signs in as root there is nobody here (passwd(5) of Debian's base-passwd), in a folder that is nobody's. */
const nobody = { uid: 65_534, gid: 65_534 }

/** What it answers differently from this machine, as a program of the same name in front of the real one. */
function disguise(root: string, trouble: Trouble): string {
  const bin = join(root, '..', `${root.split('/').pop()}.bin`)
  rmSync(bin, { recursive: true, force: true })
  mkdirSync(bin, { recursive: true })
  const [name, text] = (programs[trouble ?? ''] ?? '').split(/(?=#!)/)
  // Whatever the mask of this process: nobody has to run them.
  chmodSync(bin, 0o755)
  const put = (program: string, script: string) => {
    writeFileSync(join(bin, program), script)
    chmodSync(join(bin, program), 0o755)
  }
  if (name && text) put(name, text)
  put('id', `#!/bin/sh\necho ${trouble === 'gives no rights' ? 1000 : 0}\n`)
  // Nobody becomes root on a stand-in by way of this machine's sudo.
  put('sudo', '#!/bin/sh\nexit 1\n')
  return bin
}

/** What an earlier run has left there is nobody's as well; links are not followed. */
function give(path: string): void {
  lchownSync(path, nobody.uid, nobody.gid)
  if (lstatSync(path).isDirectory()) for (const name of readdirSync(path)) give(join(path, name))
}

export const newHostKey = () =>
  generateKeyPairSync('rsa', { modulusLength: 2048 }).privateKey.export({ type: 'pkcs1', format: 'pem' }).toString()

function serve(connection: Connection, host: SshHost, root: string, path: string): void {
  connection.on('authentication', (context) => {
    const right =
      context.method === 'password' &&
      context.username === host.user &&
      context.password === host.password &&
      host.trouble !== 'refuses the password'
    if (right) context.accept()
    else context.reject(['password'])
  })
  connection.on('ready', () =>
    connection.on('session', (accept) => {
      accept().on('exec', (acceptExec, _reject, { command }) => {
        const channel = acceptExec()
        // The steps really run, here, in a folder of the host's own, and with no right outside of it.
        const child = spawn('sh', ['-c', command], {
          cwd: root,
          ...nobody,
          env: { PATH: `${path}:${process.env.PATH ?? ''}`, CUSTODE_AGENT_ROOT: root, HOME: root },
        })
        child.stdout.on('data', (chunk: Buffer) => channel.write(chunk))
        child.stderr.on('data', (chunk: Buffer) => channel.stderr.write(chunk))
        channel.on('data', (chunk: Buffer) => child.stdin.write(chunk))
        channel.on('end', () => child.stdin.end())
        child.stdin.on('error', () => undefined)
        child.on('close', (code) => {
          channel.exit(code ?? 1)
          channel.end()
        })
      })
    }),
  )
  connection.on('error', () => undefined)
}

/**
 * A machine that takes sign-ins over SSH at its address of loopback.
 * @param key its host key, which it keeps when it is opened again
 */
export async function openSshHost(
  host: SshHost,
  folder: string,
  key = newHostKey(),
): Promise<{ key: string; close(): Promise<void> }> {
  const root = rootOf(folder, host.address)
  mkdirSync(root, { recursive: true, mode: 0o700 })
  give(root)
  // To pass through, not to look around.
  chmodSync(folder, 0o711)
  const path = disguise(root, host.trouble)
  if (host.trouble === 'is slow') {
    // It accepts, and then says nothing.
    const { createServer } = await import('node:net')
    const silent = createServer((socket) => socket.on('error', () => undefined))
    await new Promise<void>((resolve, reject) => {
      silent.once('error', reject).listen(22, host.address, resolve)
    })
    return {
      key,
      close: () =>
        new Promise((resolve) => {
          silent.close(() => resolve())
        }),
    }
  }
  const server: Server = new ssh.Server({ hostKeys: [key] }, (connection) => serve(connection, host, root, path))
  await new Promise<void>((resolve, reject) => {
    server.on('error', reject)
    server.listen(22, host.address, resolve)
  })
  return {
    key,
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve())
      }),
  }
}
