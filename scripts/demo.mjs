import { randomBytes } from 'node:crypto'
import { buildIfStale, installPackages, serve } from './prepare.mjs'

installPackages()
buildIfStale()
const password = randomBytes(9).toString('base64url')
console.log('Making a fresh demo…')
const { address } = await serve({ data: '.data/demo', env: { KAIROSTAT_DEMO: password, LOG_LEVEL: process.env.LOG_LEVEL ?? 'warn' } })
console.log(`
  Kairostat, with the demo's workshop and a simulated gateway:

    ${address}
    sign in as  demo
    password    ${password}

  Everything you change is gone at the next start. Stop it with Ctrl+C.
`)
