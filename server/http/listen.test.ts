import { X509Certificate } from 'node:crypto'
import { once } from 'node:events'
import { request as plainRequest, type IncomingMessage } from 'node:http'
import { request as secureRequest } from 'node:https'
import { connect, type Socket } from 'node:net'
import { connect as secureConnect } from 'node:tls'
import { mkdtemp, rm, stat, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, test } from 'vitest'
import {
  certificateFiles,
  factsOf,
  readPair,
  ServedCertificate,
  type CertificateFiles,
} from '../operations/certificate.ts'
import { listen, type Listening } from './listen.ts'

let folder: string
let own: CertificateFiles
let listening: Listening | null
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'kairostat-listen-'))
  own = certificateFiles({ KAIROSTAT_TLS: 'on' }, folder)!
  listening = null
})
afterEach(async () => {
  await listening?.stop(0)
  await rm(folder, { recursive: true, force: true })
})

const serve = async (pair: Parameters<typeof listen>[1]['pair'], idle?: number) => {
  listening = await listen((_, response) => response.end('here'), { host: '127.0.0.1', port: 0, pair, idle })
  return { host: '127.0.0.1', port: listening.address.port, agent: false, rejectUnauthorized: false } as const
}
/** The answer to a request: its status, where it leads and what it says. */
async function ask(scheme: 'http' | 'https', options: object) {
  const request = (scheme === 'http' ? plainRequest : secureRequest)(options).end()
  const [response] = (await once(request, 'response')) as [IncomingMessage]
  const text = (await response.setEncoding('utf8').toArray()).join('')
  return [response.statusCode, response.headers.location, text]
}
/** The fingerprint of the certificate that is shown to one who connects. */
async function shown(options: { host: string; port: number }) {
  const socket = secureConnect({ ...options, rejectUnauthorized: false })
  // It is cut off when the test ends.
  socket.on('error', () => {})
  await once(socket, 'secureConnect')
  const { fingerprint256 } = socket.getPeerX509Certificate()!
  return { fingerprint256, socket }
}

test('on one port those who come with TLS are answered, and those without are led there', async () => {
  const pair = await readPair(own, ['times.example'])
  const at = await serve(pair)
  expect(await ask('https', at)).toEqual([200, undefined, 'here'])
  expect(await ask('http', { ...at, path: '/rules?a=b', headers: { host: 'times.example:3000' } })).toEqual([
    307,
    'https://times.example:3000/rules?a=b',
    '',
  ])
  for (const bad of [{ headers: { host: 'a/b' } }, { path: 'http://other.example/' }])
    expect(await ask('http', { ...at, ...bad })).toEqual([400, undefined, ''])
  const certificate = new X509Certificate(pair.cert)
  expect(
    ['times.example', 'localhost']
      .map((name) => certificate.checkHost(name))
      .concat(certificate.checkIP('127.0.0.1')),
  ).toEqual(['times.example', 'localhost', '127.0.0.1'])
})

test('without a certificate it is plain HTTP, and a port that is taken is told', async () => {
  const at = await serve(null)
  expect(await ask('http', at)).toEqual([200, undefined, 'here'])
  await expect(listen(() => {}, { ...at, pair: null })).rejects.toMatchObject({ code: 'EADDRINUSE' })
})

test('who says nothing is let go, before TLS, after it, and without it', async () => {
  const at = await serve(await readPair(own, []), 200)
  const silent: Socket[] = [connect(at), secureConnect({ ...at }), connect(at), connect(at)]
  silent[2]!.write(Buffer.from([22]))
  silent[3]!.write('GET / HTTP/1.1\r\n')
  const ends = silent.map((socket) => once(socket.on('error', () => {}).resume(), 'close'))
  expect(await Promise.all(ends)).toHaveLength(4)
})

test('whoever is silent does not keep it from stopping', async () => {
  const at = await serve(await readPair(own, []))
  const raw = connect(at)
  await once(raw, 'connect')
  const { socket } = await shown(at)
  const gone = [raw, socket].map(
    (one) =>
      new Promise((resolve) =>
        one
          .on('error', () => {})
          .resume()
          .on('close', resolve),
      ),
  )
  await listening!.stop(10)
  expect(await Promise.all(gone)).toHaveLength(2)
})

test('a certificate that was renewed is shown to the next, and a bad one changes nothing', async () => {
  const files = { cert: join(folder, 'cert.pem'), key: join(folder, 'key.pem'), isOwn: false }
  const put = (pair: { cert: string; key: string }) =>
    Promise.all([writeFile(files.cert, pair.cert), writeFile(files.key, pair.key)])
  const [first, second] = [await readPair(own, []), await readPair({ ...own, cert: `${own.cert}2` }, [])]
  await put(first)
  const served = await ServedCertificate.open(files, [])
  const at = await serve(served.pair)
  const before = await shown(at)
  const faults: string[] = []
  served.watch(
    (pair) => listening!.renew(pair),
    ({ message }) => faults.push(message),
    10,
  )
  await writeFile(files.key, second.key)
  await expect.poll(() => faults).toEqual([expect.stringMatching(/^The key in \S+key\.pem is not that of/)])
  expect((await shown(at)).fingerprint256).toBe(factsOf(first.cert).fingerprint)
  await put(second)
  await expect.poll(async () => (await shown(at)).fingerprint256).toBe(factsOf(second.cert).fingerprint)
  expect([before.socket.destroyed, served.pair]).toEqual([false, second])
  served.stop()
})

test('a certificate of our own is made once, for its user alone, and again when it ends soon', async () => {
  const { cert } = await readPair(own, [])
  expect([(await readPair(own, [])).cert, (await stat(own.key)).mode & 0o77]).toEqual([cert, 0])
  const { generate } = await import('selfsigned')
  const old = await generate([], { keyType: 'ec', notAfterDate: new Date(Date.now() + 86_400_000) })
  await writeFile(own.cert, old.cert)
  const { until } = factsOf((await readPair(own, [])).cert)
  expect(Date.parse(until)).toBeGreaterThan(Date.now() + 800 * 86_400_000)
})

test.each<[string, Record<string, string>, string]>([
  ['one file alone', { KAIROSTAT_TLS_CERT: 'a.pem' }, 'KAIROSTAT_TLS_KEY is not: name both files'],
  ['another word', { KAIROSTAT_TLS: 'yes' }, 'KAIROSTAT_TLS is "yes": set it to on or off.'],
  ['no file', { KAIROSTAT_TLS_CERT: 'none.pem', KAIROSTAT_TLS_KEY: 'key.pem' }, 'none.pem is missing'],
  [
    'no certificate',
    { KAIROSTAT_TLS_CERT: 'key.pem', KAIROSTAT_TLS_KEY: 'key.pem' },
    'holds no certificate in PEM',
  ],
  [
    'no key',
    { KAIROSTAT_TLS_CERT: 'certificate.pem', KAIROSTAT_TLS_KEY: 'certificate.pem' },
    'holds no private key',
  ],
])('%s is refused in words', async (_what, settings, words) => {
  await readPair(own, [])
  const within = Object.entries(settings).map(([name, value]) => [
    name,
    value.endsWith('.pem') ? join(folder, 'tls', value) : value,
  ])
  const read = async () => readPair(certificateFiles(Object.fromEntries(within), folder)!, [])
  await expect(read()).rejects.toThrow(words)
})

/** A connection that is sent something, with what comes back. */
function talk(at: { host: string; port: number }, text: string) {
  const socket = connect(at)
  const talked = { socket, said: '', isClosed: false }
  socket
    .on('error', () => {})
    .on('data', (data) => (talked.said += String(data)))
    .on('close', () => (talked.isClosed = true))
  socket.write(text)
  return talked
}
const GET = 'GET / HTTP/1.1\r\nHost: x\r\n\r\n'

test('requests that come at once are answered one after the other, and too many end their connection', async () => {
  let [now, most, answered] = [0, 0, 0]
  listening = await listen(
    (_, response) => {
      most = Math.max(most, ++now)
      setTimeout(() => {
        now--
        response.end(`answer ${++answered}.`)
      }, 5)
    },
    { host: '127.0.0.1', port: 0, pair: null },
  )
  const at = { host: '127.0.0.1', port: listening.address.port }
  const few = talk(at, GET.repeat(8))
  await expect
    .poll(() => few.said.match(/answer \d/g))
    .toEqual(Array.from({ length: 8 }, (_, index) => `answer ${index + 1}`))
  expect(most).toBe(1)
  const many = talk(at, GET.repeat(800))
  await expect.poll(() => many.isClosed).toBe(true)
  expect(answered).toBeLessThan(20)
})

test('a client has so many connections, and where all are taken whoever has most loses the oldest', async () => {
  listening = await listen((_, response) => response.end('here'), {
    ...{ host: '::', port: 0, pair: null },
    limits: { inAll: 6, ofOne: 4 },
  })
  const { port } = listening.address
  const from = (localAddress: string) => {
    const talked = { isClosed: false }
    const socket = connect({ host: '127.0.0.1', port, localAddress })
    socket.on('error', () => {}).on('close', () => (talked.isClosed = true))
    return once(socket, 'connect').then(() => talked)
  }
  const first: { isClosed: boolean }[] = []
  for (let turn = 0; turn < 5; turn++) first.push(await from('127.0.0.2'))
  await expect.poll(() => first.map(({ isClosed }) => isClosed)).toEqual([false, false, false, false, true])
  const others = [await from('127.0.0.3'), await from('127.0.0.3'), await from('127.0.0.4')]
  await expect.poll(() => first[0]!.isClosed).toBe(true)
  expect([...first.slice(1, 4), ...others].map(({ isClosed }) => isClosed)).toEqual(Array(6).fill(false))
})

test('who does not read an answer is let go, and who waits for one is not', async () => {
  const long = Buffer.alloc(30_000_000, 'x')
  listening = await listen(
    (request, response) => {
      if (request.url === '/long') response.end(long)
      else setTimeout(() => response.end('late'), 700)
    },
    { host: '127.0.0.1', port: 0, pair: null, idle: 200 },
  )
  const at = { host: '127.0.0.1', port: listening.address.port }
  const deaf = connect(at)
  deaf
    .on('error', () => {})
    .pause()
    .write('GET /long HTTP/1.1\r\nHost: x\r\n\r\n')
  const waits = talk(at, GET)
  await expect.poll(() => waits.said).toContain('late')
  await expect.poll(() => listening!.connections(), { timeout: 5000 }).toBe(0)
  deaf.destroy()
})
