import { errorText } from '../../core/words/error-text.ts'
import { chmod, rm } from 'node:fs/promises'
import { createServer, request } from 'node:http'
import { newCode, plainCode } from '../../node/code.ts'
import type { GatewaySecret } from './pairing.ts'

/** The socket in the state folder by which the program of this machine's administrator asks for a code. */
export const PAIRING_SOCKET = 'pairing.sock'

/** Offers codes to who asks at a socket: `POST /?code=…` answers the code that lets the application in. */
export async function listenForPairing(path: string, secret: GatewaySecret): Promise<void> {
  await rm(path, { force: true })
  const server = createServer((asked, response) => {
    const given = new URL(asked.url ?? '/', 'http://pairing').searchParams.get('code')
    const code = given || newCode()
    secret.offer(code).then(
      () => response.end(code),
      (error: unknown) => response.writeHead(500).end(errorText(error)),
    )
  }).unref()
  await new Promise<void>((resolve, reject) => server.once('error', reject).listen(path, resolve))
  await chmod(path, 0o600)
}

/**
 * Asks the gateway that runs for a code, or has it take one that the application shows.
 *
 * @throws Error where no gateway runs that can be paired, or the code is none
 */
export function askForPairing(path: string, code: string | null): Promise<string> {
  if (code !== null && plainCode(code).length !== 8)
    throw new Error(`"${code}" is no pairing code: it has eight letters and digits, such as ABCD-EFGH.`)
  const query = code === null ? '' : `?${new URLSearchParams({ code })}`
  return new Promise((resolve, reject) => {
    request({ socketPath: path, path: `/${query}`, method: 'POST' }, (response) => {
      let body = ''
      response.on('data', (part: Buffer) => (body += part.toString()))
      response.on('end', () =>
        response.statusCode === 200 ? resolve(body) : reject(new Error(`The gateway could not: ${body}`)),
      )
    })
      .on('error', () =>
        reject(
          new Error(
            `No gateway that can be paired runs with the state folder of ${path}: start it with --listen tls:ADDRESS:PORT, or name its folder with --state.`,
          ),
        ),
      )
      .end()
  })
}
