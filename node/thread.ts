import { isMainThread, parentPort, Worker } from 'node:worker_threads'

/** Makes an error again that went from thread to thread, by its name. */
export type ErrorKinds = Readonly<Record<string, new (message: string) => Error>>

interface Call {
  readonly id: number
  readonly method: string
  readonly args: readonly unknown[]
}
interface Answer {
  readonly id: number
  readonly value?: unknown
  readonly error?: { readonly kind: string; readonly message: string }
}
interface Waiting {
  readonly worker: Worker
  readonly resolve: (value: unknown) => void
  readonly reject: (error: Error) => void
}

export interface ThreadOptions {
  /** The errors that keep their kind on the way. */
  readonly errors: ErrorKinds
  /** The error of whoever waits when the thread ends, by its own (`null` = it had none). */
  readonly ended: (error: Error | null) => Error
  /** The most memory, in megabytes; by default that of Node. */
  readonly maxMegabytes?: number
}

/**
 * A thread that runs a program which calls `serveThread`. One that ends is begun anew at the next call; it
 * keeps the process alive only while somebody waits.
 */
export class Thread {
  #worker: Worker | null = null
  #lastId = 0
  readonly #waiting = new Map<number, Waiting>()

  constructor(
    private readonly program: URL,
    private readonly options: ThreadOptions,
  ) {}

  /** Has the thread do something; `transfer` is handed over and of no use here afterwards. */
  async call<T>(method: string, args: readonly unknown[], transfer: ArrayBuffer[] = []): Promise<T> {
    const worker = (this.#worker ??= this.#start())
    const id = ++this.#lastId
    try {
      return await new Promise<T>((resolve, reject) => {
        this.#waiting.set(id, { worker, resolve: resolve as (value: unknown) => void, reject })
        worker.ref()
        worker.postMessage({ id, method, args } satisfies Call, transfer)
      })
    } finally {
      if (this.#waiting.size === 0) this.#worker?.unref()
    }
  }

  async stop(): Promise<void> {
    await this.#worker?.terminate()
  }

  #start(): Worker {
    const { errors, ended, maxMegabytes } = this.options
    const worker = new Worker(this.program, {
      argv: [],
      ...(maxMegabytes && { resourceLimits: { maxOldGenerationSizeMb: maxMegabytes } }),
    })
    worker.on('message', ({ id, value, error }: Answer) => {
      const asked = this.#waiting.get(id)
      this.#waiting.delete(id)
      if (error) asked?.reject(new errors[error.kind]!(error.message))
      else asked?.resolve(value)
    })
    const fail = (error: Error | null) => {
      if (this.#worker === worker) this.#worker = null
      // Another thread may have been begun by now; what it was asked is not over.
      for (const [id, asked] of this.#waiting) {
        if (asked.worker !== worker) continue
        this.#waiting.delete(id)
        asked.reject(ended(error))
      }
    }
    worker
      .on('error', fail)
      .on('exit', () => fail(null))
      .unref()
    return worker
  }
}

/**
 * Serves the calls of a `Thread`, in its thread; returns whether this is one. An error whose name is not
 * among `errors` is an `Error`, or ends the thread where that is not among them either.
 *
 * @param transferOf the memory of an answer that is handed over
 */
export function serveThread(
  methods: Readonly<Record<string, (...args: never[]) => Promise<unknown>>>,
  errors: ErrorKinds,
  transferOf: (value: unknown) => ArrayBuffer[] = () => [],
): boolean {
  if (isMainThread || !parentPort) return false
  const port = parentPort
  port.on('message', ({ id, method, args }: Call) => {
    void methods[method]!(...(args as never[])).then(
      (value) => port.postMessage({ id, value } satisfies Answer, transferOf(value)),
      (thrown: unknown) => {
        const error = thrown instanceof Error ? thrown : new Error(String(thrown))
        const known = Object.keys(errors).find((name) => error instanceof errors[name]! && name !== 'Error')
        const kind = known ?? (error.name in errors ? error.name : 'Error')
        if (!(kind in errors)) throw error
        port.postMessage({ id, error: { kind, message: error.message } } satisfies Answer)
      },
    )
  })
  return true
}
