import { setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'
import { isMainThread, parentPort, Worker } from 'node:worker_threads'
import { giveSites, siteSetOf, type PackedSites } from '../../core/destination/matcher.ts'
import type { PackedNames } from '../../core/destination/name-set.ts'
import type { Policy } from '../../core/policy/types.ts'
import { readerHere, type PolicyReader, type Read } from './reader.ts'
import { MalformedProposal } from '../../protocol/gateway/gateway.ts'

type Method = Exclude<keyof PolicyReader, 'stop'>
interface Call {
  readonly id: number
  readonly method: Method
  readonly args: readonly unknown[]
}
interface Answer {
  readonly id: number
  readonly value?: unknown
  readonly error?: { readonly kind: keyof typeof ERRORS; readonly message: string }
}
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
  let worker: Worker | null = null
  let count = 0
  const waiting = new Map<
    number,
    {
      readonly thread: Worker
      readonly resolve: (value: unknown) => void
      readonly reject: (error: Error) => void
    }
  >()
  const start = () => {
    const thread = new Worker(program, { argv: [] })
    thread.on('message', ({ id, value, error }: Answer) => {
      const asked = waiting.get(id)
      if (!asked) return
      waiting.delete(id)
      if (error) asked.reject(new ERRORS[error.kind](error.message))
      else asked.resolve(value)
    })
    const ended = (error: Error) => {
      if (worker === thread) worker = null
      // Another thread may have been begun by now; what it was asked is not over.
      for (const [id, asked] of waiting) {
        if (asked.thread !== thread) continue
        waiting.delete(id)
        asked.reject(error)
      }
    }
    thread.on('error', (error) => ended(new Error(`The policy could not be read: ${error.message}`)))
    thread.on('exit', () => ended(new Error('The policy could not be read: the thread that reads it ended.')))
    thread.unref()
    return thread
  }
  const call = <T>(method: Method, args: readonly unknown[], transfer: ArrayBuffer[] = []) =>
    new Promise<T>((resolve, reject) => {
      const id = ++count
      worker ??= start()
      waiting.set(id, { thread: worker, resolve: resolve as (value: unknown) => void, reject })
      worker.ref()
      worker.postMessage({ id, method, args } satisfies Call, transfer)
    }).finally(() => {
      if (waiting.size === 0) worker?.unref()
    })
  const read = async (method: Method, args: readonly unknown[], transfer?: ArrayBuffer[]) =>
    whole(await call<Thin | Read>(method, args, transfer))
  return {
    document: (json) => read('document', [json]),
    proposal: (sent) =>
      sent instanceof Uint8Array
        ? read('proposal', [sent], [sent.buffer as ArrayBuffer])
        : read('proposal', [sent]),
    amended: (base, overrides, digest) => read('amended', [base, overrides, digest]),
    text: (digest) => call<Uint8Array>('text', [digest]),
    stop: () => void worker?.terminate(),
  }
}

/** Serves what `threadedReader` asks, in its thread; returns whether this is one. */
export function serveReader(): boolean {
  if (isMainThread || !parentPort) return false
  const port = parentPort
  const reader = readerHere()
  port.on('message', ({ id, method, args }: Call) => {
    const work = reader[method] as (...args: readonly unknown[]) => Promise<Read | Uint8Array>
    work(...args).then(
      (value) => {
        // The memory for reading a long list is given back at once.
        if (!(value instanceof Uint8Array) && 'policy' in value) setImmediate(collect)
        if (value instanceof Uint8Array)
          port.postMessage({ id, value } satisfies Answer, [value.buffer as ArrayBuffer])
        else port.postMessage({ id, value: thin(value) } satisfies Answer)
      },
      (error: unknown) => {
        const { name, message } = error instanceof Error ? error : new Error(String(error))
        let kind: 'SyntaxError' | 'MalformedProposal' | 'Error'
        if (error instanceof MalformedProposal) kind = 'MalformedProposal'
        else if (name === 'SyntaxError') kind = 'SyntaxError'
        else kind = 'Error'
        port.postMessage({ id, error: { kind, message } } satisfies Answer)
      },
    )
  })
  return true
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
