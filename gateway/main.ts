import { errorText } from '../core/words/error-text.ts'
import { getServers } from 'node:dns'
import { readFileSync, rmSync } from 'node:fs'
import { isIP } from 'node:net'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { startGateway, type GatewayOptions, type GatewayProgram } from './program/gateway.ts'
import { startSimulatedGateway } from './simulation/simulated-gateway.ts'
import { gatewayServer } from './transport/http-server.ts'
import { keptMarks } from './planes/linux/table/mark-registry.ts'
import { letInCommands } from './router/let-in.ts'
import { linuxPlane, PORTS } from './planes/linux/plane.ts'
import type { Lead } from './planes/linux/table/lead-setting.ts'
import type { Offload } from './planes/linux/table/offload.ts'
import type { Setting } from './planes/linux/table/table-setting.ts'
import { StartUp } from './router/start-up.ts'
import { AwayFault, LOCAL_SYSTEM, type RouterSystem } from './planes/linux/system.ts'
import { GatewaySecret } from './transport/pairing.ts'
import { newCode } from '../node/code.ts'
import { askForPairing, listenForPairing, PAIRING_SOCKET } from './transport/pairing-socket.ts'
import { openVia, ownKey, readVia, type Via } from './planes/linux/ssh/via.ts'
import { threadedReader } from './program/reader-thread.ts'
import { SECRET_LENGTH } from '../node/secure.ts'
import { STATE_FILES } from './state/state.ts'
import { simulatedPlane } from './planes/simulated/plane.ts'
import { WORKSHOP } from './planes/simulated/workshop.ts'

const USAGE = `kairostat gateway: holds the devices of a network to a policy, by itself

  kairostat gateway --dataplane linux --lan br0… --token-file FILE [--listen WHERE] [--state FOLDER] [--time-zone ZONE] [--outside open|closed] [--offload all|unrestricted] [--upstream ADDRESS…] [--resolver-port PORT] [--page-port PORT] [--leases FILE…]
  kairostat gateway --dataplane linux --via ssh://USER@ROUTER[:PORT] --lan br0… --token-file FILE [--fallback open|closed] [--start-up] [the rest as above]
  kairostat gateway --dataplane simulated --token-file FILE [--listen WHERE] [--state FOLDER] [--time-zone ZONE]
  kairostat gateway pair [CODE] [--state FOLDER]   prints a code that pairs an application with the gateway that runs, or takes the one that the application shows

--lan         an interface of the local network, again for each: a bridge, a VLAN, a guest Wi-Fi (linux)
--via         drives a router in this local network that has only a shell, nft, ip and an SSH server; the key to let in is made here and printed (linux)
--fallback    what becomes of DNS look-ups when this machine is silent: the router's own resolver answers them (open, as is the default), or nobody (closed) (linux, with --via)
--start-up    writes a start-up file to the router, which loads the last table before its network is up; flash storage is left alone without it (linux, with --via)
--token-file  a file with the secret that the application sends; it should be readable by this program alone. An application on another machine is paired by a code instead, which is printed at the first start
--listen      unix:PATH; tls:ADDRESS:PORT for an application on another machine; or 127.0.0.1:PORT, port 3310 where nothing is said
--state       where the last policy is kept, so that it is in force again after a restart; .data/gateway where nothing is said
--time-zone   the zone of this machine where that is not the one to be told (IANA, such as Europe/Lisbon)
--upstream    where names are looked up that are open, again for each: an address, or ADDRESS#PORT; those of this machine where nothing is said (linux)
--resolver-port  the port on which look-ups of unknown devices are answered, another that is free where it is taken; 3353 where nothing is said. Each known device has a free one of its own (linux)
--page-port   the port of the page that says what is closed, where the administrator wants one; 3380 where nothing is said (linux)
--leases      a lease file of this network (dnsmasq, ISC dhcpd), again for each: the names that machines gave themselves (linux)
--offload     where the firewall has a flow table, whose connections it may forward past the rules: those of all, as it is, or of devices that are never restricted, by a condition in the firewall's own rules (linux)
--outside     what restricted devices may do when this machine's clock is outside the plan: open, or closed as is the default (linux)`

/** Ends the program with one line. */
function give(message: string): never {
  console.error(message)
  process.exit(2)
}

function argumentsOf(args: string[]) {
  try {
    return parseArgs({
      args,
      allowPositionals: true,
      options: {
        'dataplane': { type: 'string' },
        'lan': { type: 'string', multiple: true, default: [] },
        'via': { type: 'string' },
        'fallback': { type: 'string', default: 'open' },
        'start-up': { type: 'boolean' },
        'offload': { type: 'string', default: 'all' },
        'token-file': { type: 'string' },
        'listen': { type: 'string', default: '127.0.0.1:3310' },
        'state': { type: 'string', default: '.data/gateway' },
        'time-zone': { type: 'string', default: Intl.DateTimeFormat().resolvedOptions().timeZone },
        'outside': { type: 'string', default: 'closed' },
        'upstream': { type: 'string', multiple: true },
        'resolver-port': { type: 'string', default: String(PORTS.newcomers) },
        'page-port': { type: 'string', default: String(PORTS.page) },
        'leases': { type: 'string', multiple: true, default: [] },
        'help': { type: 'boolean', short: 'h' },
      },
    })
  } catch (error) {
    give(`${(error as Error).message}\n\n${USAGE}`)
  }
}

const { values, positionals } = argumentsOf(
  process.argv.slice(2).filter((word, index) => index > 0 || word !== 'gateway'),
)
const {
  dataplane,
  'lan': lans,
  'via': viaText,
  fallback,
  'start-up': isKept,
  offload,
  'token-file': tokenFile,
  listen,
  state,
  'time-zone': timeZone,
  outside,
  upstream = getServers(),
  'resolver-port': resolverPort,
  'page-port': pagePort,
  leases,
  help,
} = values
if (help) {
  console.log(USAGE)
  process.exit(0)
}
if (positionals[0] === 'pair') {
  try {
    const typed = positionals[1] ?? null
    const code = await askForPairing(join(state, PAIRING_SOCKET), typed)
    console.log(typed === null ? pairingWords(code) : 'The gateway takes this code for ten minutes.')
    process.exit(0)
  } catch (error) {
    give(errorText(error))
  }
}
if (positionals.length > 0) give(`"${positionals[0]}" is not known here.\n\n${USAGE}`)
if (dataplane !== 'linux' && dataplane !== 'simulated')
  give(`--dataplane ${dataplane === undefined ? 'is missing' : `is "${dataplane}"`}: use linux or simulated.`)
if (outside !== 'open' && outside !== 'closed') give(`--outside is "${outside}": use open or closed.`)
if (offload !== 'all' && offload !== 'unrestricted')
  give(`--offload is "${offload}": use all or unrestricted.`)
if (fallback !== 'open' && fallback !== 'closed') give(`--fallback is "${fallback}": use open or closed.`)
const via = viaText === undefined ? null : readVia(viaText)
if (viaText !== undefined && !via)
  give(`--via is "${viaText}": write it like ssh://root@192.168.77.1, with :PORT where that is not 22.`)
if (isKept && !via)
  give('--start-up needs --via: on the router itself the gateway’s service loads the last table.')
if (dataplane === 'linux' && lans.length === 0)
  give('--lan is missing: give the interface of the local network, such as br0.')
for (const lan of lans)
  if (!/^[\w.-]{1,15}$/.test(lan)) give(`--lan is "${lan}": give the name of an interface, such as br0.`)
if (!Intl.supportedValuesOf('timeZone').includes(timeZone) && timeZone !== 'UTC')
  give(`--time-zone is "${timeZone}": use an IANA name such as Europe/Lisbon.`)
for (const [name, port] of [
  ['resolver-port', resolverPort],
  ['page-port', pagePort],
] as const)
  if (!/^[1-9]\d{0,4}$/.test(port) || Number(port) > 65535)
    give(`--${name} is "${port}": give a port from 1 to 65535.`)
const upstreams = upstream.map((text) => {
  const [host = '', port = '53'] = text.split('#')
  if (isIP(host) === 0 || !/^\d{1,5}$/.test(port))
    give(`--upstream is "${text}": give an address, or ADDRESS#PORT.`)
  return { host, port: Number(port) }
})
const where = placeOf(listen)
if (tokenFile === undefined && !('secure' in where))
  give(
    '--token-file is missing: give a file with the secret that the application sends; over TLS (--listen tls:ADDRESS:PORT) it can be paired by a code instead.',
  )

try {
  const token = tokenFile === undefined ? null : readFileSync(tokenFile, 'utf8').trim()
  const shortest = 'secure' in where ? SECRET_LENGTH : 16
  if (token !== null && token.length < shortest)
    give(`${tokenFile} holds ${token.length} characters: a secret has ${shortest} or more here.`)
  const options = { folder: state, fault, reader: threadedReader(new URL(import.meta.url)) }
  const gateway = await (dataplane === 'simulated' ? startSimulated(options) : startLinux(options))
  const secret = await secretOf(token)
  const server = gatewayServer(gateway, secret, 'secure' in where, (error) =>
    fault(error, 'answering a call'),
  )
  server.once('error', (error: NodeJS.ErrnoException) =>
    give(
      error.code === 'EADDRINUSE'
        ? `${listen} is taken: stop what uses it, or say another with --listen.`
        : error.message,
    ),
  )
  // One that was killed leaves its socket behind.
  if ('path' in where) rmSync(where.path, { force: true })
  // The secret decides who may send.
  server.listen({ ...where, readableAll: true, writableAll: true }, () =>
    console.log(`The ${dataplane} gateway listens on ${listen}`),
  )
  for (const signal of ['SIGTERM', 'SIGINT'] as const) {
    process.once(signal, () => {
      gateway
        .stop()
        .catch((error: unknown) => fault(error, 'writing down what was looked up'))
        .finally(() => process.exit(0))
    })
  }
} catch (error) {
  give(errorText(error))
}

/**
 * The secret of the application, or, over TLS, the one by which it was paired; with a code where there is
 * none.
 */
async function secretOf(token: string | null): Promise<GatewaySecret> {
  if (!('secure' in where)) return new GatewaySecret(token)
  const secret = await GatewaySecret.open(join(state, STATE_FILES.secret), token, console.log)
  await listenForPairing(join(state, PAIRING_SOCKET), secret)
  if (secret.current === null) {
    const code = newCode()
    await secret.offer(code)
    console.log(pairingWords(code))
  }
  return secret
}

/** Returns the instruction for a code. */
function pairingWords(code: string): string {
  return `Pairing code: ${code}\nType it within ten minutes in Kairostat, under Settings, Connect a gateway, with the address of this machine.`
}

/** Starts the gateway over a made-up network. */
function startSimulated(options: GatewayOptions): Promise<GatewayProgram> {
  return startSimulatedGateway(simulatedPlane(WORKSHOP, { timeZone, seed: 1 }), options)
}

/** Starts the gateway over the network of a Linux router. */
async function startLinux(options: GatewayOptions): Promise<GatewayProgram> {
  const { numbers, damages } = await keptMarks(join(state, STATE_FILES.numbers))
  const system = via ? await systemVia(via) : LOCAL_SYSTEM
  const startUp = new StartUp(system, fault)
  if (isKept) await startUp.begin()
  const plane = await linuxPlane({
    system,
    written: (table) => startUp.keep(table),
    alone: fallback as Lead['alone'],
    offload: offload as Offload,
    lans: [...new Set(lans)],
    outside: outside as Setting['outside'],
    upstreams,
    newcomersPort: Number(resolverPort),
    pagePort: Number(pagePort),
    leases,
    timeZone,
    numbers,
    clockFile: process.env.KAIROSTAT_CLOCK_FILE ?? null,
    clockFloorFile: join(state, STATE_FILES.clock),
    fault,
  })
  return startGateway(plane, { ...options, damages })
}

/** The router over SSH, once it has let this machine in; its host key is pinned then. */
async function systemVia(where: Via): Promise<RouterSystem> {
  const { system, fingerprint, pin } = await openVia(where, state)
  await system.run('true', []).catch(async (error: unknown) => {
    if (error instanceof AwayFault && error.isLocked)
      console.error(
        `Or run this there, and the key may run nothing but what is sent to it:\n${letInCommands((await ownKey(state)).keyLine, leases).bound}`,
      )
    throw error
  })
  if (await pin())
    console.log(`The host key of ${where.host} is ${fingerprint()}. No other is trusted from now on.`)
  return system
}

/** Tells what went wrong while nobody asked. */
function fault(error: unknown, doing: string): void {
  console.error(`${doing}: ${errorText(error)}`)
}

function placeOf(
  text: string,
): { path: string } | { host: string; port: number } | { host: string; port: number; secure: true } {
  if (text.startsWith('unix:/')) return { path: text.slice(5) }
  const secure = text.startsWith('tls:')
  const match = /^(\[[^\]]+\]|[^:]+):(\d{1,5})$/.exec(secure ? text.slice(4) : text)
  if (!match || Number(match[2]) > 65535)
    give(
      `--listen is "${text}": write it like unix:/run/kairostat/gateway.sock, tls:192.168.77.1:3310 or 127.0.0.1:3310.`,
    )
  const at = { host: match[1]!.replace(/^\[|\]$/g, ''), port: Number(match[2]) }
  if (secure) return { ...at, secure }
  if (!['127.0.0.1', '::1', 'localhost'].includes(at.host))
    give(
      `--listen is "${text}": what others could read on their way is sent over TLS alone; write tls:${text}.`,
    )
  return at
}
