import { runPackage } from './prepare.mjs'

const compiles = (project) => runPackage('typescript-7/bin/tsc', ['--noEmit', '-p', project])

// core/ without DOM and Node types; what runs on Node; the server and the settings of Nuxt; then the
// application, whose components TypeScript 7 cannot read.
const fine =
  runPackage('nuxt/bin/nuxt.mjs', ['prepare'], { quiet: true }) &&
  ['core', 'tsconfig.node.json', '.nuxt/tsconfig.server.json', '.nuxt/tsconfig.node.json'].every(compiles) &&
  runPackage('vue-tsc/bin/vue-tsc.js', ['--noEmit', '-p', '.nuxt/tsconfig.app.json'])
process.exit(fine ? 0 : 1)
