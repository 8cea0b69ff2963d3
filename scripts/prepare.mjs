import { spawn, spawnSync } from 'node:child_process'
import { existsSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { resolve as resolvePath } from 'node:path'
import { fileURLToPath } from 'node:url'
import { bundleLists } from './bundle.mjs'
import { makeEmptyDatabase } from './empty-database.mjs'

/** The project's folder. */
export const root = fileURLToPath(new URL('../', import.meta.url))

/** Ends the script with one line. */
export function give(message) {
  console.error(message)
  process.exit(1)
}

/**
 * Runs a command in the project's folder; answers whether it went well. With `quiet` its output is shown only
 * where it did not.
 */
export function run(command, args, { env = {}, quiet = false } = {}) {
  const { status, error, stdout, stderr } = spawnSync(command, args, {
    cwd: root,
    env: { ...process.env, ...env },
    stdio: quiet ? 'pipe' : 'inherit',
    maxBuffer: 1 << 28,
  })
  if (error)
    give(`${command} cannot be started: ${error.code === 'ENOENT' ? 'it is not installed' : error.message}.`)
  if (quiet && status !== 0) process.stderr.write(`${stdout}${stderr}`)
  return status === 0
}

/** Runs a program of an installed package with this Node, so that a signal reaches it and not a wrapper. */
export function runPackage(file, args, options) {
  return run(process.execPath, [`node_modules/${file}`, ...args], options)
}

/** Installs the packages where they are missing or not those of the lock file. */
export function installPackages() {
  const [major, minor] = process.versions.node.split('.').map(Number)
  if (major < 20 || (major === 20 && minor < 19))
    give(`Kairostat needs Node 20.19 or newer; this is ${process.versions.node}.`)
  const installed = `${root}node_modules/.installed-lock.json`
  const lock = readFileSync(`${root}package-lock.json`, 'utf8')
  if (existsSync(installed) && readFileSync(installed, 'utf8') === lock) return
  console.log('Installing packages; the first time this takes a few minutes…')
  // Not `npm ci`: it refuses a lock file that lacks the binaries of other platforms, which some registries do
  // not carry.
  if (!run('npm', ['install', '--no-save', '--no-audit', '--no-fund', '--loglevel=error'], { quiet: true }))
    give('The packages could not be installed; the lines above say why.')
  writeFileSync(installed, lock)
}

/** Debian's builds of Chromium, the lighter first: without windows, tests take half the time. */
const BROWSERS = ['chromium-headless-shell', 'chromium']

/**
 * Finds Chromium and says where in `CHROMIUM`; installs it from the system's packages where it is missing.
 * Ends the script with the remedy where it may not.
 */
export function installChromium() {
  const find = () => BROWSERS.find((name) => spawnSync(name, ['--version']).status === 0)
  if (!process.env.CHROMIUM && !find())
    installSystem(
      [BROWSERS[0]],
      `Chromium is missing: install the package ${BROWSERS.join(' or ')} (apt-get install ${BROWSERS[0]}), or set CHROMIUM to its path.`,
    )
  process.env.CHROMIUM ??= `/usr/bin/${find()}`
}

/**
 * The programs that send real packets, and the servers that the application talks to, each with its
 * package.
 */
const NETWORK_PROGRAMS = [
  ['nft', 'nftables'],
  ['ip', 'iproute2'],
  ['ping', 'iputils-ping'],
  ['systemd-analyze', 'systemd'],
  ['python3', 'python3'],
  ['arp', 'net-tools'],
  ['sshd', 'openssh-server'],
  ['dropbear', 'dropbear-bin'],
  ['curl', 'curl'],
  ['openssl', 'openssl'],
  ['busybox', 'busybox'],
  ['rsyslogd', 'rsyslog'],
  ['/usr/share/doc/rsyslog-openssl', 'rsyslog-openssl'],
  ['named', 'bind9'],
  ['/usr/share/doc/postgresql', 'postgresql'],
]

/**
 * Sees to it that networks of real packets can be made here: the rights, and the programs (`more` beside the
 * usual, each with its package), which it installs where they are missing. Ends the script with the remedy
 * where it cannot.
 */
export function prepareNetworks(more = []) {
  const programs = [...NETWORK_PROGRAMS, ...more]
  const remedy = `What sends real packets needs root, and the packages ${programs.map(([, name]) => name).join(', ')}; npm test -- --without-network leaves it out.`
  if (process.platform !== 'linux' || process.getuid?.() !== 0) give(remedy)
  const folders = ['/usr/sbin', '/usr/bin', '/sbin', '/bin']
  const missing = programs.filter(
    ([file]) => !folders.some((folder) => existsSync(resolvePath(folder, file))),
  )
  if (missing.length > 0)
    installSystem(
      missing.map(([, name]) => name),
      remedy,
    )
}

/** The services of packages that start one. */
const SERVICES = {
  'openssh-server': ['ssh.service', 'ssh.socket'],
  'rsyslog': ['rsyslog.service'],
  'bind9': ['named.service'],
  'postgresql': ['postgresql.service'],
}

function installSystem(names, remedy) {
  if (process.getuid?.() !== 0 || spawnSync('apt-get', ['--version']).status !== 0) give(remedy)
  console.log(`Installing ${names.join(', ')} from Debian’s packages…`)
  const env = { DEBIAN_FRONTEND: 'noninteractive' }
  // Servers among them are for the tests alone: none is started, now or later.
  const policy = '/usr/sbin/policy-rc.d'
  const isOurs = !existsSync(policy)
  if (isOurs) writeFileSync(policy, '#!/bin/sh\nexit 101\n', { mode: 0o755 })
  const isInstalled =
    run('apt-get', ['update', '-qq'], { quiet: true, env }) &&
    run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...names], { quiet: true, env })
  if (isOurs) rmSync(policy)
  const services = names.flatMap((name) => SERVICES[name] ?? [])
  if (services.length > 0) spawnSync('systemctl', ['disable', ...services])
  if (!isInstalled) give(remedy)
}

/** Builds the application where the build is missing or older than a source. */
export async function buildIfStale() {
  await makeEmptyDatabase()
  await bundleLists()
  const built = `${root}.output/nitro.json`
  if (
    existsSync(built) &&
    statSync(built).mtimeMs >=
      youngest([
        'app',
        'core',
        'gateway',
        'node',
        'protocol',
        'public',
        'server',
        'nuxt.config.ts',
        'package-lock.json',
      ])
  )
    return
  console.log('Building; this takes a minute or so…')
  if (!runPackage('nuxt/bin/nuxt.mjs', ['build'], { quiet: true, env: { NUXT_TELEMETRY_DISABLED: '1' } }))
    give('The build failed; the lines above say why.')
}

/** The youngest time of change (ms) among files and folders of the project. */
function youngest(names) {
  return Math.max(
    ...names.flatMap((name) => {
      const path = root + name
      const inside = statSync(path).isDirectory()
        ? readdirSync(path, { recursive: true }).map((entry) => `${path}/${entry}`)
        : []
      return [path, ...inside].map((entry) => statSync(entry).mtimeMs)
    }),
  )
}

/**
 * Starts the built application and waits until it answers; answers the process, which this one takes with it
 * when it ends. `data` is its
 * folder. A port that is taken, or a server that ends at once, ends the script with one line.
 */
export async function serve({ data, env = {} }) {
  const host = process.env.HOST ?? '127.0.0.1'
  const port = Number(process.env.PORT ?? 3000)
  if (!Number.isInteger(port) || port < 1 || port > 65535)
    give(`PORT is "${process.env.PORT}": set it to a number from 1 to 65535.`)
  await portIsFree(host, port)
  const server = spawn(process.execPath, ['.output/server/index.mjs'], {
    cwd: root,
    stdio: ['ignore', 'pipe', 'inherit'],
    env: {
      ...process.env,
      HOST: host,
      PORT: String(port),
      NODE_ENV: 'production',
      KAIROSTAT_DATA: process.env.KAIROSTAT_DATA ?? data,
      ...env,
    },
  })
  server.stdout.on('data', (text) => process.stdout.write(String(text).replace(/^Listening on .*\n/m, '')))
  server.on('exit', (code) => process.exit(code ?? 0))
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => server.kill('SIGTERM'))
  const reached = host === '0.0.0.0' || host === '::' ? '127.0.0.1' : host
  let said = ''
  server.stdout.on('data', (text) => {
    said += String(text)
  })
  for (let tries = 0; tries < 600; tries++) {
    const scheme = /^Listening on (https?):/m.exec(said)?.[1]
    if (scheme)
      return { address: `${scheme}://${reached.includes(':') ? `[${reached}]` : reached}:${port}`, server }
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  server.kill('SIGTERM')
  give('The server did not answer within a minute.')
}

async function portIsFree(host, port) {
  await new Promise((resolve) => {
    const probe = createServer()
    probe.once('error', (error) =>
      give(
        error.code === 'EADDRINUSE'
          ? `Port ${port} is taken: stop what uses it, or set PORT to another.`
          : `${host}:${port} cannot be used: ${error.message}.`,
      ),
    )
    probe.listen(port, host, () => probe.close(resolve))
  })
}
