import { mkdtemp, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { expect, test } from 'vitest'
import { canonicalText, digestOf } from '../../core/policy/canonical.ts'
import { siteSetOf } from '../../core/destination/matcher.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { threadedReader } from './reader-thread.ts'
import { readerHere } from './reader.ts'

const names = Array.from({ length: 10_000 }, (_, index) => `host${index.toString(36)}.example`)
const documentOf = (entries: readonly string[]) => ({
  kairostat: 1,
  place: { name: 'Bindery', timeZone: 'UTC' },
  devices: [{ id: 'tablet', name: 'Tablet', adapters: [{ mac: '02:5e:10:00:00:01', medium: 'wifi' }] }],
  siteLists: [
    { id: 'long', name: 'Long “list”', entries, note: 'a\nb' },
    { id: 'short', name: 'Short', entries: ['short.example'] },
  ],
})

test.each([
  ['names', names],
  ['names and addresses', [...names.slice(0, 5000), '203.0.113.0/24', ...names.slice(5000), '2001:db8::7']],
  ['addresses alone', names.map((_, index) => `198.18.${index >> 8}.${index & 255}`)],
])(
  'a long list of %s is held by what it was packed into: text, digest and answers are the same',
  async (_, entries) => {
    const reader = readerHere()
    const document = documentOf(entries)
    const policy = policyOf(document)
    const read = await reader.document(JSON.stringify(document))
    if ('faults' in read) throw new Error(JSON.stringify(read.faults))
    expect(read.policy.siteLists.map((list) => list.entries.length)).toEqual([0, 1])
    expect(read.digest).toBe(digestOf(policy))
    expect(canonicalText(read.policy)).toBe(canonicalText(policy))
    expect(new TextDecoder().decode(await reader.text(read.digest))).toBe(canonicalText(policy))
    const [held, whole] = [
      siteSetOf(read.policy.siteLists[0]!.entries),
      siteSetOf(policy.siteLists[0]!.entries),
    ]
    expect(held.blocks).toEqual(whole.blocks)
    for (const name of ['hostzz.example', 'www.hosta.example', 'nowhere.example'])
      expect(held.has(name)).toEqual(whole.has(name))
    // Another override beside it, and the digest of both.
    const override = {
      id: 'o',
      effect: 'block',
      who: { devices: ['tablet'] },
      from: '2026-11-28T10:00:00Z',
      until: '2026-11-28T11:00:00Z',
    }
    const next = policyOf({ ...document, overrides: [override] })
    const amended = await reader.amended(read.digest, [override], digestOf(next))
    expect('faults' in amended ? amended.faults : amended.digest).toBe(digestOf(next))
  },
)

test('a thread that ends late takes nothing from the one that was begun after it', async () => {
  const file = join(await mkdtemp(join(tmpdir(), 'kairostat-reader-')), 'thread.mjs')
  await writeFile(
    file,
    `import { parentPort } from 'node:worker_threads'
    parentPort.on('message', ({ id, args: [text] }) => {
      if (text === 'crash') setImmediate(() => { throw new Error('no memory') })
      else setTimeout(() => parentPort.postMessage({ id, value: { faults: [] } }), 300)
    })`,
  )
  const reader = threadedReader(pathToFileURL(file))
  for (let turn = 0; turn < 3; turn++) {
    await expect(reader.document('crash')).rejects.toThrow('no memory')
    expect(await reader.document('fine')).toEqual({ faults: [] })
  }
  reader.stop()
})
