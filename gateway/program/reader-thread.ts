import { setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'
import { giveSites, siteSetOf, type PackedSites } from '../../core/destination/matcher.ts'
import type { PackedNames } from '../../core/destination/name-set.ts'
import type { Policy } from '../../core/policy/types.ts'
import { readerHere, type PolicyReader, type Read } from './reader.ts'
import { MalformedProposal, type Proposal } from '../../protocol/gateway/gateway.ts'
import { serveThread, Thread } from '../../node/thread.ts'

/**
 * A policy as it goes from thread to thread: without the entries of its lists, and what those hold in shared
 * memory.
 */
interface Thin {
  readonly policy: Policy
  readonly digest: string
  readonly lists: readonly PackedSites[]
}

/** Errors that keep their kind on the way. */
const ERRORS = { SyntaxError, MalformedProposal, Error }

/**
 * Reads in a thread of its own, which runs this same program and calls `serveReader`: what answers look-ups
 * is not held up. A thread that ends, for want of memory, is begun anew at the next question; who asked is
 * told.
 */
export function threadedReader(program: URL): PolicyReader {
  const thread = new Thread(program, {
    errors: ERRORS,
    ended: (error) =>
      new Error(`The policy could not be read: ${error?.message ?? 'the thread that reads it ended.'}`),
  })
  const read = async (method: keyof PolicyReader, args: readonly unknown[], transfer?: ArrayBuffer[]) =>
    whole(await thread.call<Thin | Read>(method, args, transfer))
  return {
    document: (json) => read('document', [json]),
    proposal: (sent) =>
      sent instanceof Uint8Array
        ? read('proposal', [sent], [sent.buffer as ArrayBuffer])
        : read('proposal', [sent]),
    amended: (base, overrides, digest) => read('amended', [base, overrides, digest]),
    text: (digest) => thread.call<Uint8Array>('text', [digest]),
    stop: () => void thread.stop(),
  }
}

/** Serves what `threadedReader` asks, in its thread; returns whether this is one. */
export function serveReader(): boolean {
  const { document, proposal, amended, text } = readerHere()
  return serveThread(
    {
      document: (json: string) => document(json).then(handed),
      proposal: (sent: Proposal | Uint8Array) => proposal(sent).then(handed),
      amended: (base: string, overrides: unknown, digest: string) =>
        amended(base, overrides, digest).then(handed),
      text,
    },
    ERRORS,
    (value) => (value instanceof Uint8Array ? [value.buffer as ArrayBuffer] : []),
  )
}

/** Hands over what was read; the memory for reading a long list is given back at once. */
function handed(read: Read): Thin | Read {
  if ('policy' in read) setImmediate(collect)
  return thin(read)
}

/** Gives back the memory of what is over where much is: this thread may have nothing to do for days. */
function collect(): void {
  if (process.memoryUsage().heapTotal < LARGE_HEAP_BYTES) return
  setFlagsFromString('--expose-gc')
  ;(runInNewContext('gc') as () => void)()
}
const LARGE_HEAP_BYTES = 100_000_000

function thin(read: Read): Thin | Read {
  if ('faults' in read) return read
  const { policy, digest } = read
  const lists = policy.siteLists.map(({ entries }) => {
    const known = siteSetOf(entries).packed
    // The same list is shared once, whatever policy it is in.
    return isShared(known) ? known : giveSites(entries, shared(known)).packed
  })
  return {
    policy: { ...policy, siteLists: policy.siteLists.map((list) => ({ ...list, entries: [] })) },
    digest,
    lists,
  }
}

function whole(read: Thin | Read): Read {
  if (!('lists' in read)) return read
  read.policy.siteLists.forEach(({ entries }, index) => giveSites(entries, read.lists[index]!))
  return { policy: read.policy, digest: read.digest }
}

function shared({ names: { slots, seen, texts, count }, blocks }: PackedSites): PackedSites {
  const names: PackedNames = {
    slots: new Uint32Array(inShared(slots)),
    seen: new Uint8Array(inShared(seen)),
    texts: new Uint8Array(inShared(texts)),
    count,
  }
  return { names, blocks }
}

const isShared = ({ names }: PackedSites) => names.slots.buffer instanceof SharedArrayBuffer

function inShared(array: Uint32Array | Uint8Array): SharedArrayBuffer {
  const buffer = new SharedArrayBuffer(array.byteLength)
  new Uint8Array(buffer).set(new Uint8Array(array.buffer, array.byteOffset, array.byteLength))
  return buffer
}
