import { existsSync, readdirSync, statSync } from 'node:fs'
import { fileURLToPath } from 'node:url'

const root = new URL('../', import.meta.url)
const bundle = new URL('dist/cli.mjs', root)

/** The address of the command line's bundle, made first where it is missing or older than a source of core/ or cli/. */
export async function bundleCli() {
  if (!existsSync(bundle) || youngest(['core/', 'cli/']) > statSync(bundle).mtimeMs) {
    const { build } = await import('esbuild')
    await build({
      entryPoints: [fileURLToPath(new URL('cli/door.ts', root))], outfile: fileURLToPath(bundle), bundle: true,
      platform: 'node', format: 'esm', target: 'node20', legalComments: 'none', minify: true, splitting: false, logLevel: 'error',
      banner: { js: 'import { createRequire } from "node:module"; const require = createRequire(import.meta.url);' },
    }).catch((error) => {
      console.error(`The command line could not be built: ${error.message}`)
      process.exit(1)
    })
  }
  return bundle.href
}

/** The youngest time of change (ms) among the files of some folders. */
function youngest(folders) {
  return Math.max(...folders.flatMap(folder => readdirSync(new URL(folder, root), { recursive: true })
    .map(name => statSync(new URL(folder + name, root)).mtimeMs)))
}
