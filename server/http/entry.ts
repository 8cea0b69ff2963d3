import '#nitro-internal-pollyfills'
import type { IncomingMessage, ServerResponse } from 'node:http'
import { toNodeListener } from 'h3'
import { useNitroApp } from 'nitropack/runtime'
import { factsOf } from '../operations/certificate.ts'
import { context } from './context.ts'
import { listen } from './listen.ts'
import { enterPlace, isPlainAddress } from './place-address.ts'
import { StallWatch } from './stalls.ts'

/** The time that answers under way have when Kairostat ends. */
const END_PATIENCE_MS = 2000

void serve()

async function serve(): Promise<void> {
  const { certificate, clients, log, places, peers, database, close } = await context()
  // One request or one connection failed: the others go on.
  process.on('unhandledRejection', (error: unknown) => log.error(error, 'unhandledRejection'))
  let stop = (): Promise<unknown> => Promise.resolve()
  const end = (code: number) =>
    stop()
      .then(close)
      .catch((error: unknown) => log.error(error, 'ending'))
      .finally(() => process.exit(code))
  // Nothing is known of what it left half done.
  process.once('uncaughtException', (error: unknown) => {
    log.fatal(error, 'An error that nothing caught: Kairostat ends, and is to be started again')
    console.error('Kairostat ends: an error that nothing caught. Details are in its log.')
    setTimeout(() => process.exit(1), 5 * END_PATIENCE_MS).unref()
    void end(1)
  })
  const { HOST: host = '127.0.0.1', PORT: port = '3000' } = process.env
  if (!/^\d{1,5}$/.test(port) || Number(port) > 65535)
    give(`PORT is "${port}": set it to a number from 1 to 65535.`)
  const answer = toNodeListener(useNitroApp().h3App)
  const stalls = new StallWatch(log)
  const answerAtPlace = (request: IncomingMessage, response: ServerResponse) => {
    stalls.follow(request, response)
    if (!isPlainAddress(request)) return refuse(response)
    enterPlace(request)
    return answer(request, response)
  }
  if (database.isShared) {
    const { KAIROSTAT_PEER: where = '127.0.0.1:0' } = process.env
    await peers
      .listen(answerAtPlace, where)
      .catch((error: Error) => give(`KAIROSTAT_PEER is ${where}, which cannot be used: ${error.message}`))
  }
  await places.start()
  const listening = await listen(answerAtPlace, {
    host,
    port: Number(port),
    pair: certificate?.pair ?? null,
    isProxy: (address) => clients.isProxy(address),
  }).catch((error: NodeJS.ErrnoException) =>
    give(
      error.code === 'EADDRINUSE'
        ? `Port ${port} is taken: stop what uses it, or set PORT to another.`
        : `${host}:${port} cannot be listened on: ${error.message}.`,
    ),
  )
  stop = () => listening.stop(END_PATIENCE_MS)
  const { address, port: opened } = listening.address
  console.log(
    `Listening on ${certificate ? 'https' : 'http'}://${address.includes(':') ? `[${address}]` : address}:${opened}`,
  )
  if (certificate) {
    const tell = (cert: string) =>
      console.log(`Its certificate has the fingerprint ${factsOf(cert).fingerprint}`)
    tell(certificate.pair.cert)
    certificate.watch(
      (pair) => {
        listening.renew(pair)
        tell(pair.cert)
      },
      (error) => log.error(error, 'the certificate stays as it was'),
    )
  }
  for (const signal of ['SIGTERM', 'SIGINT'] as const) process.once(signal, () => void end(0))
}

/** Refuses a request whose address could be taken for another one. */
function refuse(response: ServerResponse): void {
  response.writeHead(400, { 'content-type': 'application/json', 'cache-control': 'no-store' })
  response.end(JSON.stringify({ code: 'malformed', message: 'The address is not written plainly.' }))
}

function give(message: string): never {
  console.error(message)
  process.exit(1)
}

export default {}
