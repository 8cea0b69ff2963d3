import { spawn, type ChildProcess } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { mkdtemp, rm } from 'node:fs/promises'
import { createServer, type AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { BASELINE_WASM } from './wasm.ts'

/** The built application, running on a port and a data folder of its own. */
export interface Place {
  readonly url: string
  /** Its data folder. */
  readonly folder: string
  /** Sends a request as a page of the application would; with `cookie` as that session. */
  send(
    method: string,
    path: string,
    options?: { body?: unknown; cookie?: string; headers?: Record<string, string>; signal?: AbortSignal },
  ): Promise<Response>
  /** Signs in and answers the session's cookie. */
  signIn(): Promise<string>
  /** Sends the process a signal. */
  signal(signal: NodeJS.Signals): void
  /** The memory that the process takes, in megabytes. */
  memory(): number
  /** Ends the process at once, as a power cut would. */
  kill(): Promise<void>
  start(): Promise<void>
}

/** The password of the demo's account, where KAIROSTAT_DEMO says it. */
export const PASSWORD = 'a-demo-password'

/** The set-up code of an empty place. */
export const SETUP_CODE = 'TEST-CODE'

/** A port of the loopback address that nobody uses. */
export async function freePort(): Promise<number> {
  const server = createServer().listen(0, '127.0.0.1')
  await new Promise((resolve) => server.once('listening', resolve))
  const { port } = server.address() as AddressInfo
  await new Promise((resolve) => server.close(resolve))
  return port
}

/**
 * Starts the application, as the demo or empty; the function at the end stops it and removes its data.
 * `within` is what runs it elsewhere, such as in a namespace, where it is reached by `host`; `options` are those
 * of Node.
 */
export async function startPlace(
  env: Record<string, string>,
  {
    within = [],
    host = '127.0.0.1',
    options = [BASELINE_WASM],
  }: { within?: readonly string[]; host?: string; options?: readonly string[] } = {},
): Promise<Place & { stop(): Promise<void> }> {
  const folder = await mkdtemp(join(tmpdir(), 'kairostat-e2e-'))
  const port = await freePort()
  const url = `http://${host}:${port}`
  let server: ChildProcess

  const start = async () => {
    const [command = '', ...words] = [...within, process.execPath, ...options, '.output/server/index.mjs']
    server = spawn(command, words, {
      env: {
        ...process.env,
        KAIROSTAT_SETUP_CODE: SETUP_CODE,
        HOST: host,
        PORT: String(port),
        KAIROSTAT_DATA: folder,
        LOG_LEVEL: 'warn',
        DATABASE_URL: '',
        ...env,
      },
      stdio: ['ignore', 'ignore', 'inherit'],
    })
    for (
      let tries = 0;
      !(await fetch(`${url}/api/health`).then(
        (response) => response.ok,
        () => false,
      ));
      tries++
    ) {
      if (tries > 600) throw new Error('The application did not answer within a minute.')
      await new Promise((resolve) => setTimeout(resolve, 100))
    }
  }
  const kill = async () => {
    if (server.exitCode !== null || server.signalCode !== null) return
    const gone = new Promise((resolve) => server.once('exit', resolve))
    server.kill('SIGKILL')
    await gone
  }
  const send: Place['send'] = (method, path, { body, cookie, headers, signal } = {}) =>
    fetch(url + path, {
      method,
      redirect: 'manual',
      signal,
      body: body === undefined ? undefined : JSON.stringify(body),
      headers: { 'origin': url, 'content-type': 'application/json', ...(cookie && { cookie }), ...headers },
    })
  await start()
  return {
    url,
    folder,
    send,
    start,
    kill,
    signal: (signal) => void server.kill(signal),
    memory: () =>
      Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${server.pid}/status`, 'utf8'))![1]) / 1024,
    signIn: async () => {
      const response = await send('POST', '/api/session', { body: { name: 'demo', password: PASSWORD } })
      if (!response.ok) throw new Error(`Signing in was answered ${response.status}.`)
      return response.headers.get('set-cookie')!.split(';')[0]!
    },
    stop: async () => {
      await kill()
      await rm(folder, { recursive: true, force: true })
    },
  }
}
