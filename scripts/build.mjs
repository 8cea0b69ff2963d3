import { bundleCli, bundleGateway } from './bundle.mjs'
import { buildIfStale, installPackages } from './prepare.mjs'

installPackages()
buildIfStale()
await bundleCli()
await bundleGateway()
