import { day, hour, type Millis, type Updates, type WaitingUpdate } from '#core'
import { osFamilyOf, type PlannedDevice } from '../estate/plan'

/** Packages that come with updates every now and then; those before the bar mend security. */
const packages = {
  security:
    'openssl libssl3 curl libcurl4 linux-image-amd64 sudo libxml2 libexpat1 openssh-server gnupg git bind9-libs libtiff6 vim-common',
  other:
    'tzdata base-files dbus systemd libc6 python3.11 e2fsprogs rsyslog grep nano less cron procps man-db logrotate util-linux apt dpkg nginx postgresql-15',
}
const namesOf = (kind: keyof typeof packages) => packages[kind].split(' ')
const monthOf = (at: Millis) => new Date(at).toISOString().slice(0, 7)

/** The house installs once a week, as its templates have it. */
const round = 7 * day

/** When updates were installed, one round after the other, until a story says that they are no longer. */
function lastRound(at: Millis, chance: (name: string) => number): Millis {
  return at - ((at + Math.floor(chance('round') * round)) % round)
}

/**
 * What waits on a planned device at a time: since its story says that nothing was installed any more, more and more;
 * before that, and without one, what came since the last round. Without a story nothing came after the last of them.
 * @param chance from 0 to 1, the same for the same name
 */
export function waitingOf(
  plan: PlannedDevice,
  at: Millis,
  historyEnd: Millis,
  chance: (name: string) => number,
): WaitingUpdate[] {
  const story = plan.story?.updates
  const neglectedSince = story ? historyEnd - story.oldestDays * day : lastRound(historyEnd, chance)
  if (!story && at >= neglectedSince) return []
  const isNeglected = at >= neglectedSince
  const begin = isNeglected ? neglectedSince : lastRound(at, chance)
  const lasts = isNeglected ? historyEnd - neglectedSince : round
  const counts = isNeglected
    ? { security: story?.security ?? 0, other: story?.other ?? 0 }
    : { security: 1 + Math.floor(4 * chance('security')), other: Math.floor(7 * chance('other')) }
  return (['security', 'other'] as const).flatMap((kind) =>
    Array.from({ length: counts[kind] }, (_, i): WaitingUpdate & { isThere: boolean } => {
      const since = Math.floor(begin + (0.8 * i * lasts) / counts[kind])
      return { ...updateOf(plan, kind, i, since), isThere: since <= at }
    })
      .filter(({ isThere }) => isThere)
      .map(({ isThere: _isThere, ...update }) => update),
  )
}

function updateOf(plan: PlannedDevice, kind: 'security' | 'other', i: number, since: Millis): WaitingUpdate {
  const security = kind === 'security'
  if (osFamilyOf(plan) === 'windows') {
    const article = `KB${500_100 + 20 * new Date(since).getUTCMonth() + (security ? 0 : 10) + i}`
    const rating = { rating: (['important', 'critical', 'moderate'] as const)[i % 3]! }
    return {
      name: `${security ? 'Security update' : 'Update'} of ${monthOf(since)} (${article})`,
      origin: article,
      security,
      ...(security ? rating : {}),
      since,
    }
  }
  const names = namesOf(kind)
  const again = Math.floor(i / names.length)
  const name = `${names[i % names.length]!}${again ? `-part${again}` : ''}`
  return {
    name,
    from: `${1 + (name.length % 7)}.${i % 10}-1`,
    to: `${1 + (name.length % 7)}.${i % 10}-1+deb12u${1 + (i % 4)}`,
    origin: security ? 'Debian-Security:12/stable-security' : 'Debian:12.9/stable',
    security,
    since,
  }
}

const oldest = (updates: readonly WaitingUpdate[]) =>
  updates.length ? Math.min(...updates.map(({ since }) => since)) : null

/** The same as its agent tells it. */
export function updatesOf(
  plan: PlannedDevice,
  at: Millis,
  historyEnd: Millis,
  chance: (name: string) => number,
): { updates: Updates; waiting: WaitingUpdate[] } {
  const story = plan.story?.updates
  const isLinux = osFamilyOf(plan) === 'linux'
  const found = waitingOf(plan, at, historyEnd, chance)
  const held = story?.heldBack && isLinux ? story.heldBack.map((name) => heldOf(name, historyEnd)) : []
  const [security, other] = [found.filter((update) => update.security), found.filter((update) => !update.security)]
  const isPending = Boolean(story?.restart) && at > historyEnd - 5 * day
  return {
    updates: {
      security: security.length,
      other: other.length,
      leftover: 0,
      oldestSecurityAt: oldest(security),
      oldestOtherAt: oldest(other),
      held: held.length,
      heldSecurity: held.filter((update) => update.security).length,
      oldestHeldAt: oldest(held),
      restartPending: isPending,
      restartSince: isPending ? historyEnd - 5 * day : null,
      ...(isLinux
        ? {
            outdated: (story?.outdated ?? []).map((name) => ({
              name,
              service: true,
              files: ['/usr/lib/x86_64-linux-gnu/libssl.so.3'],
              since: historyEnd - 3 * day,
            })),
            refresh: story?.unfetched
              ? { since: historyEnd - 20 * hour, reason: `Failed to fetch ${story.unfetched}  Connection timed out` }
              : null,
          }
        : {}),
      checkedAt: at - (at % day),
      listsAt: story?.unfetched ? historyEnd - 21 * hour : at - (at % day),
      installedAt: lastRound(Math.min(at, oldest(found) ?? at), chance),
      names: [...security, ...other].map(({ name }) => name),
    },
    waiting: [...security, ...held, ...other],
  }
}

const heldOf = (name: string, historyEnd: Millis): WaitingUpdate => ({
  name,
  from: '10.11.6-1',
  to: '10.11.11-0+deb12u1',
  origin: 'Debian:12.9/stable',
  security: false,
  held: 'asked',
  since: historyEnd - 16 * day,
})
