import { existsSync, readdirSync, statSync } from 'node:fs'
import { fileURLToPath } from 'node:url'

const root = new URL('../', import.meta.url)

/** The folders whose files the bundles are made from. */
const SOURCES = ['core/', 'protocol/', 'node/', 'cli/', 'gateway/', 'server/']

/** The address of the command line's bundle. */
export const bundleCli = () => bundle('cli/main.ts', 'dist/cli.mjs')

/** The address of the gateway's bundle. */
export const bundleGateway = () => bundle('gateway/entry.ts', 'dist/gateway.mjs')

/** The address of the bundle of what is done to a data folder. */
export const bundleCommands = () => bundle('server/operations/commands.ts', 'dist/commands.mjs')

/** The address of the bundle of the thread that reads lists. */
export const bundleLists = () => bundle('server/lists/list-thread.ts', 'dist/list-thread.mjs')

/**
 * The options of a bundle. Packages with files of their own stay outside: SSH works without its faster parts.
 */
export const PROGRAM = {
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  logLevel: 'error',
  external: [
    '@electric-sql/pglite',
    '@electric-sql/pglite/*',
    '@node-rs/argon2',
    'cpu-features',
    'pg-native',
    '*.node',
  ],
  // Globals that CommonJS modules expect.
  banner: {
    js: [
      'import { createRequire } from "node:module"',
      'const require = createRequire(import.meta.url)',
      'const __dirname = new URL(".", import.meta.url).pathname;',
    ].join(';'),
  },
}

/** Bundles the gateway for an installed Kairostat: the clock of tests cannot be reached there. */
export async function bundleInstalledGateway(file) {
  const { build } = await import('esbuild')
  await build({
    ...PROGRAM,
    entryPoints: [fileURLToPath(new URL('gateway/entry.ts', root))],
    outfile: file,
    legalComments: 'none',
    minify: true,
    define: { 'process.env.KAIROSTAT_CLOCK_FILE': 'undefined' },
  })
}

/**
 * Bundles a program into one file if that is missing or older than a source, and returns its address. An
 * installed Kairostat has the bundles and no sources.
 */
async function bundle(entry, file) {
  const made = new URL(file, root)
  const isSource = existsSync(new URL(entry, root))
  if (isSource && (!existsSync(made) || youngest(SOURCES) > statSync(made).mtimeMs)) {
    const { build } = await import('esbuild')
    await build({
      entryPoints: [fileURLToPath(new URL(entry, root))],
      outfile: fileURLToPath(made),
      ...PROGRAM,
      legalComments: 'none',
      minify: true,
    }).catch((error) => {
      console.error(`${entry} could not be bundled: ${error.message}`)
      process.exit(1)
    })
  }
  return made.href
}

/** Returns the latest time of change (ms) among the files of some folders. */
function youngest(folders) {
  return Math.max(
    ...folders.flatMap((folder) =>
      readdirSync(new URL(folder, root), { recursive: true }).map(
        (name) => statSync(new URL(folder + name, root)).mtimeMs,
      ),
    ),
  )
}
