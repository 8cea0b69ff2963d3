import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { generate } from 'selfsigned'
import { afterAll, beforeAll, expect, test, vi } from 'vitest'
import { LogConnection } from '../../server/notices/log-connection.ts'
import type { LogMessage } from '../../server/notices/syslog-message.ts'
import { freePort } from '../support/place.ts'

// A real rsyslog from Debian's packages, on loopback, as its receivers are set up: UDP, TCP and TLS.
let folder: string, server: ChildProcess, ports: { udp: number; tcp: number; tls: number }, authority: string
const said: string[] = []

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'kairostat-rsyslog-'))
  const [udp, tcp, tls] = await Promise.all([freePort(), freePort(), freePort()])
  ports = { udp: udp!, tcp: tcp!, tls: tls! }
  const made = await generate([{ name: 'commonName', value: 'localhost' }], {
    keyType: 'ec',
    extensions: [{ name: 'subjectAltName', altNames: [{ type: 2, value: 'localhost' }] }],
  })
  authority = made.cert
  await writeFile(join(folder, 'cert.pem'), made.cert)
  await writeFile(join(folder, 'key.pem'), made.private)
  await start()
})
afterAll(async () => {
  await stop()
  await rm(folder, { recursive: true })
})

const message = (words: string, facts: LogMessage['facts'] = {}): LogMessage => ({
  kind: 'audit',
  at: '2026-11-28T18:02:11Z',
  severity: 'notice',
  words,
  facts,
})
const to = (transport: 'udp' | 'tcp' | 'tls', more: object = {}) =>
  new LogConnection({
    host: 'localhost',
    port: ports[transport],
    transport,
    authority: transport === 'tls' ? authority : '',
    ...more,
  })

test.each(['udp', 'tcp', 'tls'] as const)(
  'over %s each message arrives whole, with its parts',
  async (transport) => {
    const connection = to(transport)
    const words = `Rule “Åse’s hours” over ${transport}\nchanged\u0007: 3 → 4`
    await connection.send([
      message(words, { account: 'ada "the first" \\ ]', number: 7, address: null }),
      message(`second over ${transport}`),
    ])
    await vi.waitFor(async () => {
      const lines = (await received()).filter((line) => line.includes(`over ${transport}`))
      expect(lines).toEqual([
        `2026-11-28T18:02:11Z|kairostat|${process.pid}|audit|5|local0|[kairostat@32473 account="ada \\"the first\\" \\\\ \\]" number="7"]|\ufeffRule “Åse’s hours” over ${transport}; changed : 3 → 4`,
        `2026-11-28T18:02:11Z|kairostat|${process.pid}|audit|5|local0|-|\ufeffsecond over ${transport}`,
      ])
    }, 10_000)
    connection.close()
  },
)

test('a thousand messages over one connection arrive in order, each once, the longest cut', async () => {
  const connection = to('tcp')
  for (let batch = 0; batch < 10; batch++)
    await connection.send(
      Array.from({ length: 100 }, (_, index) =>
        message(`row ${batch * 100 + index} ${'é'.repeat(index * 50)}`),
      ),
    )
  await vi.waitFor(async () => {
    const rows = (await received()).filter((line) => line.includes('row '))
    expect(rows.map((line) => Number(/row (\d+)/.exec(line)![1]))).toEqual(
      Array.from({ length: 1000 }, (_, at) => at),
    )
    expect(rows.some((line) => line.includes('\ufffd'))).toBe(false)
  }, 10_000)
  connection.close()
})

test('a server that is not who it should be gets nothing, and one that was restarted is connected anew', async () => {
  await expect(to('tls', { authority: '' }).send([message('to a stranger')])).rejects.toThrow(/certificate/)
  await expect(to('tls', { host: '127.0.0.1' }).send([message('to a stranger')])).rejects.toThrow(
    /altnames|IP/,
  )
  const connection = to('tls')
  await connection.send([message('before the restart')])
  await stop()
  await expect(connection.send([message('while it is away')])).rejects.toThrow(/ECONNREFUSED/)
  await start()
  await connection.send([message('after the restart')])
  await vi.waitFor(async () => expect((await received()).join('\n')).toContain('after the restart'), 10_000)
  expect((await received()).join('\n')).not.toContain('to a stranger')
  connection.close()
})

async function received(): Promise<string[]> {
  return (await readFile(join(folder, 'received'), 'utf8').catch(() => '')).split('\n').filter(Boolean)
}

async function start(): Promise<void> {
  const input = (type: string, port: number, more = '') =>
    `input(type="${type}" address="127.0.0.1" port="${port}" ${more})`
  await writeFile(
    join(folder, 'rsyslog.conf'),
    `global(workDirectory="${folder}" maxMessageSize="16k" parser.escapeControlCharactersOnReceive="off"
  defaultNetstreamDriverCAFile="${folder}/cert.pem" defaultNetstreamDriverCertFile="${folder}/cert.pem"
  defaultNetstreamDriverKeyFile="${folder}/key.pem")
module(load="imudp")
module(load="imtcp")
template(name="parts" type="string" string="%timestamp:::date-rfc3339%|%app-name%|%procid%|%msgid%|%syslogseverity%|%syslogfacility-text%|%structured-data%|%msg%\\n")
${input('imudp', ports.udp)}
${input('imtcp', ports.tcp)}
${input('imtcp', ports.tls, 'streamDriver.name="ossl" streamDriver.mode="1" streamDriver.authMode="anon"')}
action(type="omfile" file="${folder}/received" template="parts")
`,
  )
  server = spawn('rsyslogd', ['-n', '-f', join(folder, 'rsyslog.conf'), '-i', join(folder, 'pid')])
  server.stderr!.on('data', (data) => said.push(String(data)))
  await vi.waitFor(async () => {
    if (server.exitCode !== null) throw new Error(said.join(''))
    const connection = to('tcp')
    await connection.send([message('ready')])
    connection.close()
  }, 20_000)
}

async function stop(): Promise<void> {
  const ended = new Promise((resolve) => server.once('exit', resolve))
  server.kill()
  await ended
}
