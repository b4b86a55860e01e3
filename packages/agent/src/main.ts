import { parseArgs } from 'node:util'
import { check } from './install/check'
import { enroll } from './identity/enroll'
import { exitStatusOf } from './install/failure'
import { install, uninstall } from './install/install'
import { defaultHome } from './install/place'
import { run } from './run'
import { startAnew } from './updates/starter'
import { readCa, wayTo } from './uplink'
import { agentVersion } from './version'

const usage = `custode-agent ${agentVersion}

  custode-agent install --server URL --key KEY [--name NAME]  enrol this machine and run at boot, as a service with a user of its own
  custode-agent uninstall                                     leave nothing behind
  custode-agent enroll --server URL --key KEY [--name NAME]   make this machine known to a server
  custode-agent run [--no-refresh]                            collect and report until stopped
  custode-agent version                                       which one this is
  custode-agent check                                         say what is right and wrong with this installation

  --home FOLDER    where key and spool live (default ${defaultHome})
  --root FOLDER    install into, or uninstall from, this folder instead of the whole machine (or
                   CUSTODE_AGENT_ROOT in the environment); starts nothing at boot
  --ca FILE        trust a server whose certificate is of the authority in this file (PEM), and no other;
                   without, what the system trusts
  --proxy URL      reach the server through this proxy (or https_proxy and no_proxy in the environment)
  --key KEY        or CUSTODE_AGENT_KEY in the environment, where others cannot read it
  --look-only      with install: it never starts or stops anything on this machine
  --no-run         with install where no service manager runs: do not start it
  --no-refresh     do not fetch apt's package lists before looking for updates
`

const say = (text: string) => void process.stdout.write(`${text}\n`)

async function main(): Promise<number> {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: {
      server: { type: 'string' },
      ca: { type: 'string' },
      proxy: { type: 'string' },
      key: { type: 'string' },
      name: { type: 'string' },
      home: { type: 'string', default: defaultHome },
      root: { type: 'string', default: process.env.CUSTODE_AGENT_ROOT ?? '' },
      'no-run': { type: 'boolean', default: false },
      'look-only': { type: 'boolean', default: false },
      'no-refresh': { type: 'boolean', default: false },
      help: { type: 'boolean', default: false },
    },
  })
  // Handed on in the environment, which only its owner can read, it stands in no list of processes.
  const key = values.key ?? process.env.CUSTODE_AGENT_KEY
  delete process.env.CUSTODE_AGENT_KEY
  const way = (server: string) => wayTo(server, values.ca === undefined ? undefined : readCa(values.ca), values.proxy)
  switch (values.help ? 'help' : positionals[0]) {
    case 'enroll':
      if (!values.server || !key) throw new Error('enroll needs --server and --key')
      say(await enroll(values.home, way(values.server), key, values.name))
      return 0
    case 'install':
      if (!values.server || !key) throw new Error('install needs --server and --key')
      await install(
        { way: way(values.server), key, name: values.name, root: values.root, looksOnly: values['look-only'] },
        say,
        !values['no-run'],
      )
      return 0
    case 'uninstall':
      uninstall(values.root, say)
      return 0
    case 'run':
      return (await run(values.home, !values['no-refresh'], say)) === 'start anew' ? startAnew : 0
    case 'version':
      say(`custode-agent ${agentVersion}`)
      return 0
    case 'check': {
      const findings = await check(values.home)
      for (const { good, text } of findings) say(`${good ? ' right ' : ' WRONG '} ${text}`)
      return findings.every((finding) => finding.good) ? 0 : 1
    }
    default:
      say(usage)
      return positionals[0] === 'help' || values.help ? 0 : 2
  }
}

// Packaged as one executable, the program is a script without await at its top.
main().then(
  (code) => {
    process.exitCode = code
  },
  (error: unknown) => {
    process.stderr.write(`custode-agent: ${(error as Error).message}\n`)
    process.exitCode = exitStatusOf(error)
  },
)
