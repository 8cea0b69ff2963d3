import { readFile } from 'node:fs/promises'
import { parseArgs } from 'node:util'
import type { KnownUse } from '../core/allowance/outlook.ts'
import { readDestination, type Destination } from '../core/destination/destination.ts'
import { readPolicy } from '../core/policy/read.ts'
import type { Fault } from '../core/policy/shape.ts'
import type { Policy } from '../core/policy/types.ts'
import { readInstant, readMoment } from '../core/time/instant.ts'
import type { AllowanceAnswer } from '../protocol/answers.ts'
import { check, timeline, type Asked } from './answers.ts'
import { checkText, timelineText } from './tables.ts'

const USAGE = `kairostat: who may reach what, and when, by a policy document (JSON or YAML)

  kairostat check    --policy FILE | --server URL  --at T [--at T …] [--device ID|MAC]… [--network ID] [--to DESTINATION] [--json]
  kairostat timeline --policy FILE | --server URL  --from T --until T [--device ID|MAC]… [--network ID] [--json]
  kairostat validate --policy FILE [--json]
  kairostat start                                          (the application; docs/operations.md lists its settings)
  kairostat gateway  --help
  kairostat backup FILE | restore FILE | reset-password    (--help says more)

--server asks a running Kairostat, such as http://192.168.1.2:3000, for what is live there, overrides too, and answers by
that for any time. It needs a token, created in Settings, in the environment variable KAIROSTAT_TOKEN.
T is an instant (2026-11-27T21:30:00Z), a local date-time of the place (2026-11-27T21:30), or now.
With no --device, every device in the order of the document; with no --network, as in none. Exit: 0, or 2 with every fault on standard error.`

const OPTIONS = {
  policy: { type: 'string' },
  server: { type: 'string' },
  at: { type: 'string', multiple: true },
  from: { type: 'string' },
  until: { type: 'string' },
  device: { type: 'string', multiple: true },
  network: { type: 'string' },
  to: { type: 'string' },
  json: { type: 'boolean' },
  help: { type: 'boolean', short: 'h' },
} as const
const ALLOWED: Readonly<Record<string, readonly string[]>> = {
  check: ['policy', 'server', 'at', 'device', 'network', 'to', 'json'],
  timeline: ['policy', 'server', 'from', 'until', 'device', 'network', 'json'],
  validate: ['policy', 'json'],
}

/**
 * The output of a run and its exit status: 0, or 2 where the arguments or the document have a fault.
 */
export interface Outcome {
  readonly status: 0 | 2
  readonly out: string
  readonly err: string
}

type Values = ReturnType<typeof parse>['values']

/** Runs the command line; `now` in seconds, `token` for a server. Never throws for what a user may write. */
export async function run(args: readonly string[], now: number, token?: string): Promise<Outcome> {
  const faults: Fault[] = []
  let json = args.includes('--json')
  try {
    const {
      values,
      positionals: [command, ...rest],
    } = parse(args)
    if (values.help) return { status: 0, out: USAGE, err: '' }
    json = values.json === true
    if (command === undefined || !Object.hasOwn(ALLOWED, command))
      throw new ArgumentFault(command ?? 'command', 'is not a command: use check, timeline or validate')
    if (rest.length > 0) throw new ArgumentFault(rest[0]!, 'is one argument too many')
    for (const key of Object.keys(values)) {
      if (!ALLOWED[command]!.includes(key))
        faults.push({ path: `--${key}`, message: `is not an option of ${command}` })
    }
    const policy = await load(values, token, faults)
    const known = policy && command === 'check' ? await knownUse(policy, values.server, token) : null
    const out = policy && faults.length === 0 ? answer(command, policy, values, now, known, faults) : ''
    if (faults.length === 0) return { status: 0, out, err: '' }
  } catch (error) {
    faults.push(...faultsOf(error))
  }
  const err = faults.map(({ path, message }) => `${path || 'document'}: ${message}`).join('\n')
  return { status: 2, out: json ? JSON.stringify({ faults }) : '', err }
}

function parse(args: readonly string[]) {
  return parseArgs({ args: [...args], options: OPTIONS, allowPositionals: true, strict: true })
}

class ArgumentFault extends Error {
  constructor(
    readonly path: string,
    message: string,
  ) {
    super(message)
  }
}

function faultsOf(error: unknown): Fault[] {
  if (error instanceof ArgumentFault) return [{ path: error.path, message: error.message }]
  if (error instanceof TypeError && 'code' in error && String(error.code).startsWith('ERR_PARSE_ARGS'))
    return [{ path: 'arguments', message: error.message }]
  throw error
}

async function load(
  { policy: file, server }: Values,
  token: string | undefined,
  faults: Fault[],
): Promise<Policy | null> {
  if (file !== undefined && server !== undefined)
    throw new ArgumentFault('--server', 'and --policy exclude each other: name one')
  const read = readPolicy(server === undefined ? await fileDocument(file) : await liveDocument(server, token))
  if ('policy' in read) return read.policy
  faults.push(...read.faults)
  return null
}

async function fileDocument(file: string | undefined): Promise<unknown> {
  if (file === undefined)
    throw new ArgumentFault('--policy', 'is missing: name the policy document, or - for standard input')
  const text = await readFile(file === '-' ? '/dev/stdin' : file, 'utf8').catch(
    (error: NodeJS.ErrnoException) => {
      throw new ArgumentFault(
        '--policy',
        `cannot read ${file}: ${error.code === 'ENOENT' ? 'there is no such file' : error.message}`,
      )
    },
  )
  return parseDocument(text, file)
}

async function liveDocument(server: string, token: string | undefined): Promise<unknown> {
  if (!/^https?:\/\//.test(server) || !URL.canParse(server))
    throw new ArgumentFault(
      '--server',
      `"${server}" is not an address of a server: write it like http://192.168.1.2:3000`,
    )
  if (!token)
    throw new ArgumentFault(
      'KAIROSTAT_TOKEN',
      'is not set: make a token in Settings and put it into this environment variable',
    )
  const answer = await askServer(server, token, '/api/live').catch((error: Error) => {
    throw new ArgumentFault(
      '--server',
      `${server} does not answer: ${error.cause instanceof Error ? error.cause.message || String((error.cause as NodeJS.ErrnoException).code) : error.message}`,
    )
  })
  if (answer.status === 401)
    throw new ArgumentFault(
      'KAIROSTAT_TOKEN',
      `is not accepted by ${server}: it may have been revoked; make another in Settings`,
    )
  const body = (await answer.json().catch(() => null)) as { policy?: unknown; message?: string } | null
  if (!answer.ok || !body?.policy)
    throw new ArgumentFault(
      '--server',
      `${server} answers ${answer.status}${body?.message ? `: ${body.message}` : ', which is not an answer of Kairostat'}`,
    )
  return body.policy
}

const askServer = (server: string, token: string, path: string) =>
  fetch(new URL(path, server), {
    headers: { authorization: `Bearer ${token}` },
    signal: AbortSignal.timeout(15_000),
  })

/** Asks a running Kairostat for the usage of allowances; `null` where its gateway does not answer. */
async function knownUse(
  { rules }: Policy,
  server: string | undefined,
  token: string | undefined,
): Promise<KnownUse | null> {
  if (!server || !token || rules.every(({ after }) => after === null)) return null
  const answer = await askServer(server, token, '/api/allowances')
  if (!answer.ok) return null
  const { at, uses } = (await answer.json()) as AllowanceAnswer
  return { at: readInstant(at)!, uses }
}

async function parseDocument(text: string, file: string): Promise<unknown> {
  try {
    return JSON.parse(text)
  } catch (jsonError) {
    const looksJson = file.endsWith('.json') || text.trimStart().startsWith('{')
    if (looksJson) throw new ArgumentFault('', `${file} is not JSON: ${(jsonError as Error).message}`)
  }
  // Loaded only where it is needed: it would double the time to start.
  const { readLines } = await import('../core/import/lines.ts')
  const result = readLines(text, (value) => ({ value }))
  if (!('faults' in result)) return result.value
  const [fault] = result.faults
  throw new ArgumentFault('', `${file} is not YAML: line ${fault!.line} ${fault!.message}`)
}

function answer(
  command: string,
  policy: Policy,
  values: Values,
  now: number,
  known: KnownUse | null,
  faults: Fault[],
): string {
  if (command === 'validate') {
    return values.json
      ? JSON.stringify({ faults: [] })
      : `${values.policy} is a policy: ${policy.devices.length} devices, ${policy.schedules.length} schedules, ${policy.rules.length} rules.`
  }
  const moment = (text: string | undefined, option: string) => {
    if (text === undefined) {
      faults.push({ path: option, message: 'is missing: give a time, such as now' })
      return 0
    }
    const read = readMoment(text, policy.place.timeZone, now)
    if (read === null)
      faults.push({
        path: option,
        message: `"${text}" is not a time: write 2026-11-27T21:30:00Z, 2026-11-27T21:30 (local) or now`,
      })
    return read ?? 0
  }
  const unknown = (name: string) =>
    faults.push({ path: '--device', message: `"${name}" is not a device of the document, nor a MAC address` })
  const asked: Asked = { names: values.device ?? [], network: values.network ?? null }
  if (asked.network !== null && !policy.networks.some(({ id }) => id === asked.network)) {
    faults.push({ path: '--network', message: `"${asked.network}" is not a network of the document` })
  }
  if (command === 'timeline') {
    const from = moment(values.from, '--from')
    const until = moment(values.until, '--until')
    if (faults.length === 0 && from >= until)
      faults.push({ path: '--until', message: 'is not after --from: put the earlier time first' })
    if (faults.length > 0) return ''
    const result = timeline(policy, from, until, asked, unknown)
    return values.json ? JSON.stringify(result) : timelineText(result, policy)
  }
  const at = values.at?.map((text) => moment(text, '--at')) ?? [moment(undefined, '--at')]
  const to = values.to === undefined ? null : destination(values.to, faults)
  if (faults.length > 0) return ''
  const result = check(policy, at, asked, to, unknown, known)
  return values.json ? JSON.stringify(result) : checkText(result, policy)
}

function destination(text: string, faults: Fault[]): Destination | null {
  const read = readDestination(text)
  if (!('fault' in read)) return read
  faults.push({ path: '--to', message: read.fault })
  return null
}
