import { openPool } from '../db'
import { calloutJobs, engineJobs, startTimers } from '../engine'
import { openVault } from '../secrets/vault'

// What a server process does by itself, without its interface: started by a test that ends it at any moment.
const pool = openPool(process.env.DATABASE_URL!, 6)
const sending = { vault: openVault(process.env.CUSTODE_KEYS), origin: 'https://custode.lanternfield.example' }
startTimers([...engineJobs(pool), ...calloutJobs(pool, sending)], {
  error: (fields, text) => {
    process.stderr.write(`${text} ${JSON.stringify(fields)}\n`)
  },
})
process.stdout.write('running\n')
