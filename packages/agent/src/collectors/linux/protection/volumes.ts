import { basename, join } from 'node:path'
import { existsSync, readFileSync, readdirSync, realpathSync } from 'node:fs'
import type { GuardedVolume } from '#core'
import { diskMounts, isRemote, parseMounts, parsePseudo } from '../mounts'

/**
 * How cryptsetup(8) marks what it decrypts, in the identifiers that the device mapper keeps (from memory). Its marks
 * for checking alone (CRYPT-VERITY, CRYPT-INTEGRITY) are none of them.
 */
const decrypted = /^CRYPT-(LUKS\d|PLAIN|TCRYPT|BITLK|FVAULT2|LOOPAES)\b/

/** Whether a block device, or all that it lies on, is encrypted (Documentation/ABI/testing/sysfs-block-dm). */
export function isEncrypted(block: string, blocks = '/sys/class/block'): boolean {
  const uuid = join(blocks, block, 'dm/uuid')
  if (existsSync(uuid) && decrypted.test(readFileSync(uuid, 'utf8'))) return true
  const slaves = join(blocks, block, 'slaves')
  const under = existsSync(slaves) ? readdirSync(slaves) : []
  return under.length > 0 && under.every((name) => isEncrypted(name, blocks))
}

/** @param root where /proc, /sys and /dev lie */
export function guardedVolumes(root = '/'): GuardedVolume[] {
  const text = (path: string) => (existsSync(join(root, path)) ? readFileSync(join(root, path), 'utf8') : '')
  const mounts = diskMounts(parseMounts(text('proc/self/mountinfo')), parsePseudo(text('proc/filesystems')))
  const blocks = join(root, 'sys/class/block')
  const of = (name: string, device: string, number = ''): GuardedVolume => {
    // What has no number of its own, as of btrfs, has the name of a device, which may lead to another.
    const paths = [join(root, 'sys/dev/block', number || '-'), join(root, device)]
    const path = paths.find((each) => existsSync(each))
    const block = path === undefined ? null : basename(realpathSync(path))
    return block !== null && existsSync(join(blocks, block))
      ? { name, isEncrypted: isEncrypted(block, blocks) }
      : { name, isEncrypted: null, trouble: `${device} is no device that the kernel tells of` }
  }
  const volumes = mounts
    .filter((mount) => !isRemote(mount))
    .map(({ mount, device, number }) => of(mount, device, number))
  const swaps = text('proc/swaps')
    .split('\n')
    .slice(1)
    .flatMap((line) => /^(\/dev\/\S+)\s+partition\b/.exec(line)?.[1] ?? [])
    // That one lies in memory.
    .filter((device) => !device.startsWith('/dev/zram'))
    .map((device) => of('swap', device))
  // Several are as good as the worst of them.
  const worst = swaps.find((swap) => swap.isEncrypted === false) ?? swaps[0]
  return worst ? [...volumes, worst] : volumes
}
