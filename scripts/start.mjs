import { buildIfStale, installPackages, serve } from './prepare.mjs'

installPackages()
await buildIfStale()
const { address } = await serve({ data: '.data/place' })
console.log(`
  Kairostat: ${address}
  The first visit sets the administrator's password. Stop it with Ctrl+C.
`)
