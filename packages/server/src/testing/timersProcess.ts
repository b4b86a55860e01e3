import { openPool } from '../db'
import { engineJobs, startTimers } from '../engine'

// What a server process does by itself, without its interface: started by a test that ends it at any moment.
startTimers(engineJobs(openPool(process.env.DATABASE_URL!, 4)), {
  error: (fields, text) => {
    process.stderr.write(`${text} ${JSON.stringify(fields)}\n`)
  },
})
process.stdout.write('running\n')
