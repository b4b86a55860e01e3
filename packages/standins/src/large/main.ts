import { fill, reopen } from './fill'
import { setPolicy } from './policy'
import { keepReporting } from './report'

/**
 * A large estate for the demo: fills the database at its first start, gives it policy as a lead would, and lets every
 * device report once a minute. Says what it is doing, and *ready*.
 */
const [databaseUrl = '', serverUrl = '', count = '', email = '', password = ''] = process.argv.slice(2)
const say = (text: string) => process.stdout.write(`${text}\n`)

async function signIn(): Promise<string> {
  const answer = await fetch(`${serverUrl}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ email, password }),
  })
  if (!answer.ok) throw new Error(`sign-in: ${answer.status} ${await answer.text()}`)
  return answer.headers.get('set-cookie')!.split(';')[0]!
}

let filled = await reopen(databaseUrl, Date.now())
if (!filled) {
  filled = await fill(databaseUrl, Number(count), 500, Date.now(), say)
  say('policy and windows…')
  await setPolicy(serverUrl, await signIn(), filled)
}
const reporting = keepReporting(serverUrl, filled)
say('ready')
process.on('SIGTERM', () => void reporting.stop().then(() => process.exit()))
