import { parseArgs } from 'node:util'
import { check } from './check'
import { agentVersion } from './collectors'
import { enroll } from './enroll'
import { run } from './run'

const usage = `custode-agent ${agentVersion}

  custode-agent enroll --server URL --key KEY [--name NAME]   make this machine known to a server
  custode-agent run [--no-refresh]                            collect and report until stopped
  custode-agent check                                         say what is right and wrong with this installation

  --home FOLDER    where key and spool live (default /var/lib/custode-agent)
  --no-refresh     do not fetch apt's package lists before looking for updates
`

const say = (text: string) => void process.stdout.write(`${text}\n`)

async function main(): Promise<number> {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: { server: { type: 'string' }, key: { type: 'string' }, name: { type: 'string' }, home: { type: 'string', default: '/var/lib/custode-agent' }, 'no-refresh': { type: 'boolean', default: false }, help: { type: 'boolean', default: false } },
  })
  switch (values.help ? 'help' : positionals[0]) {
    case 'enroll':
      if (!values.server || !values.key) throw new Error('enroll needs --server and --key')
      say(await enroll(values.home, values.server, values.key, values.name))
      return 0
    case 'run':
      await run(values.home, !values['no-refresh'], say)
      return 0
    case 'check': {
      const findings = await check(values.home)
      for (const { good, text } of findings) say(`${good ? ' right ' : ' WRONG '} ${text}`)
      return findings.every((one) => one.good) ? 0 : 1
    }
    default:
      say(usage)
      return positionals[0] === 'help' || values.help ? 0 : 2
  }
}

try {
  process.exitCode = await main()
} catch (error) {
  process.stderr.write(`custode-agent: ${(error as Error).message}\n`)
  process.exitCode = 1
}
