import { bundleCli, bundleGateway } from './bundle.mjs'
import { buildIfStale, installPackages } from './prepare.mjs'

installPackages()
await buildIfStale()
await bundleCli()
await bundleGateway()
