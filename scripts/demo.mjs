import { randomBytes } from 'node:crypto'
import { parseArgs } from 'node:util'
import { buildIfStale, give, installPackages, serve } from './prepare.mjs'

const {
  values: { size },
} = parseArgs({ options: { size: { type: 'string', default: 'workshop' } } })
if (size !== 'workshop' && size !== 'office')
  give(`--size is "${size}": say workshop (30 devices) or office (500).`)
installPackages()
await buildIfStale()
/** The port of the made-up devices' own pages, once the page that explains a block is shown. */
const pagePort = process.env.KAIROSTAT_SIMULATED_PAGE_PORT ?? '3380'
const password = randomBytes(9).toString('base64url')
console.log('Making a fresh demo…')
const { address } = await serve({
  data: '.data/demo',
  env: {
    // Made anew at each start, it is nobody's database.
    DATABASE_URL: '',
    KAIROSTAT_DEMO: password,
    KAIROSTAT_DEMO_SIZE: size,
    KAIROSTAT_SIMULATED_PAGE_PORT: pagePort,
    LOG_LEVEL: process.env.LOG_LEVEL ?? 'warn',
  },
})
console.log(`
  Kairostat, with the demo's ${size} and a simulated gateway:

    ${address}
    sign in as  demo
    password    ${password}

  What Lena's tablet sees, and where it asks for more time, once you tick “Show a page
  that explains the block” in Settings: http://02-5e-10-00-00-1b.localhost:${pagePort}

  Everything you change is gone at the next start. Stop it with Ctrl+C.
`)
