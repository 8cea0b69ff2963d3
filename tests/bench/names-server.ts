import { readFileSync } from 'node:fs'
import { compile } from '../../core/decision/compile.ts'
import { planOf } from '../../core/plan/plan.ts'
import { serveReader, threadedReader } from '../../gateway/program/reader-thread.ts'
import { namesKnown, namingIn } from '../../gateway/planes/linux/names.ts'
import { startResolver } from '../../gateway/dns/resolver.ts'

/** The milliseconds between two writes of look-ups. */
const WRITES = 10_000

// A resolver as a Linux gateway runs it, with the thread that reads policies beside it, for a device under a
// list of names: FILE PORT UPSTREAM-PORT.
if (!serveReader()) await serveNames(process.argv.slice(2) as [string, string, string])

async function serveNames([file, port, upstream]: readonly [string, string, string]): Promise<void> {
  const mac = '02:00:00:00:00:0a'
  const reader = threadedReader(new URL(import.meta.url))
  const read = await reader.document(documentWith(file, mac))
  if ('faults' in read) throw new Error(JSON.stringify(read.faults[0]))
  const seconds = () => Math.floor(Date.now() / 1000)
  const names = namesKnown()
  names.hold(read.policy, namingIn(planOf(compile(read.policy, true), seconds(), seconds() + 86_400), false))
  setInterval(() => names.log.changes(), WRITES).unref()
  const who = { decideAs: mac, network: null, tellAs: mac }
  await startResolver({
    upstreams: [{ host: '127.0.0.1', port: Number(upstream) }],
    rule: (name) => names.rule(name, who, seconds(), false),
    isExpected: () => true,
    clientOf: (_asker, from) => from,
    isRefused: () => false,
    resolved: (name, addresses) => void names.found(name, addresses, seconds()),
    upstream: () => {},
    fault: (error) => console.error(error),
  }).open({ mac, network: null }, Number(port))
  gc?.()
  console.log('ready')
}

/** A policy whose only rule blocks the names of a file, a line each. */
function documentWith(file: string, mac: string): string {
  return JSON.stringify({
    kairostat: 1,
    place: { name: 'Large', timeZone: 'Europe/Lisbon' },
    devices: [{ id: 'a', name: 'A', adapters: [{ mac, medium: 'wifi' }] }],
    siteLists: [{ id: 'l', name: 'L', entries: readFileSync(file, 'utf8').trim().split('\n') }],
    rules: [
      {
        id: 'r',
        name: 'R',
        effect: 'block',
        who: { everyone: true },
        what: { siteLists: ['l'] },
        when: { always: true },
      },
    ],
  })
}
