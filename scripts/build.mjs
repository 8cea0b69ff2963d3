import { buildIfStale, installPackages } from './prepare.mjs'
import { bundleCli } from './bundle-cli.mjs'

installPackages()
buildIfStale()
await bundleCli()
