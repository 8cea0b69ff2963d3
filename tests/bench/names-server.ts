import { readFileSync } from 'node:fs'
import { compile } from '../../core/decision/compile.ts'
import { planOf } from '../../core/plan/plan.ts'
import { readerHere } from '../../gateway/reader.ts'
import { namesKnown, namingIn } from '../../gateway/linux/names.ts'
import { startResolver } from '../../gateway/names/resolver.ts'

// A resolver as a Linux gateway runs it, for a device under a list of names: FILE PORT UPSTREAM-PORT.
const [file, port, upstream] = process.argv.slice(2) as [string, string, string]
const mac = '02:00:00:00:00:0a'
const document = {
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
}
const read = await readerHere().document(JSON.stringify(document))
document.siteLists = []
if ('faults' in read) throw new Error(JSON.stringify(read.faults[0]))
const seconds = () => Math.floor(Date.now() / 1000)
const names = namesKnown()

names.hold(read.policy, namingIn(planOf(compile(read.policy, true), seconds(), seconds() + 86_400), false))
const who = { decideAs: mac, network: null, tellAs: mac }
names.rule('first.example', who, seconds(), false)
await startResolver({
  upstreams: [{ host: '127.0.0.1', port: Number(upstream) }],
  rule: (name) => names.rule(name, who, seconds(), false),
  isRefused: () => false,
  resolved: (name, addresses) => void names.found(name, addresses, seconds()),
  upstream: () => {},
  fault: (error) => console.error(error),
}).open({ mac, network: null }, Number(port))
gc?.()
console.log('ready')
