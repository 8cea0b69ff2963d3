import { runPackage } from './prepare.mjs'

// core/ without DOM and Node types; then what runs on Node; then the application with its components.
const fine =
  runPackage('nuxt/bin/nuxt.mjs', ['prepare'], { quiet: true }) &&
  runPackage('typescript/bin/tsc', ['-p', 'core']) &&
  runPackage('typescript/bin/tsc', ['-p', 'tsconfig.node.json']) &&
  runPackage('vue-tsc/bin/vue-tsc.js', ['-b', '--noEmit'])
process.exit(fine ? 0 : 1)
