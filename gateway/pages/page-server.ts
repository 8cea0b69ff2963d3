import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import { plainAddress } from '../dns/doors.ts'
import { NOBODY, type DevicePages, type PageAnswer } from './device-pages.ts'
import { layout } from './layout.ts'

/**
 * The pages for devices, over plain HTTP: TLS would need a certificate of the name that was asked for, which
 * nobody gives.
 */
export interface PageServer {
  /**
   * Opens or closes its port.
   *
   * @throws Error where that is taken
   */
  show(shown: boolean): Promise<void>
}

/** The client of a page, and the name under which it asks; `null` = the client is unknown. */
type Client = { readonly mac: string | null; readonly name: string }

/** The surroundings of a page server. */
export interface PageServerParts {
  readonly port: number
  /** On which address it listens. */
  readonly address: string
  /** Returns the client by the IP address and the name. */
  readonly clientOf: (from: string, name: string) => Promise<Client>
  readonly pages: () => DevicePages | null
  readonly fault: (error: unknown) => void
}

/** The longest form, in bytes; how many connections there may be at a time, and how long each may take. */
const LONGEST_FORM = 4096
const MOST_CONNECTIONS = 500
/** The most connections of one address. */
const MOST_OF_ONE = 32
const PATIENCE_MS = 10_000

/** Serves the pages to whoever asks. */
export function pageServer(parts: PageServerParts): PageServer {
  let server: Server | null = null
  const make = () => {
    const made = createServer(
      { requestTimeout: PATIENCE_MS, headersTimeout: PATIENCE_MS },
      (request, response) => {
        answerOf(parts, request)
          .catch((error: unknown): PageAnswer => {
            parts.fault(error)
            return { status: 503, html: FAILED }
          })
          .then((answer) => send(request, response, answer))
          .catch(parts.fault)
      },
    )
    made.maxConnections = MOST_CONNECTIONS
    limitEach(made)
    return made
  }
  return {
    show: async (shown) => {
      if (shown === (server !== null)) return
      if (!shown) {
        server!.closeAllConnections()
        await new Promise((resolve) => server!.close(resolve))
        server = null
        return
      }
      const fresh = make()
      await new Promise<void>((resolve, reject) =>
        fresh.once('error', reject).listen(parts.port, parts.address, resolve),
      )
      fresh.off('error', parts.fault).on('error', parts.fault)
      server = fresh
    },
  }
}

/** Ends connections of an address that has many already: it must not keep others out. */
function limitEach(server: Server): void {
  const open = new Map<string, number>()
  server.on('connection', (socket) => {
    const from = socket.remoteAddress ?? ''
    const count = (open.get(from) ?? 0) + 1
    open.set(from, count)
    socket.once('close', () => {
      const left = open.get(from)! - 1
      if (left > 0) open.set(from, left)
      else open.delete(from)
    })
    if (count > MOST_OF_ONE) socket.destroy()
  })
}

const FAILED = layout(
  'Not possible now',
  'Kairostat',
  '<h1>This is not possible at the moment</h1><p>Try again later, or tell the person who runs the network.</p>',
)

async function answerOf({ clientOf, pages }: PageServerParts, request: IncomingMessage): Promise<PageAnswer> {
  const { mac, name } = await clientOf(plainAddress(request.socket.remoteAddress ?? ''), hostOf(request))
  const shown = pages()
  if (mac === null || shown === null) return { status: 503, html: NOBODY }
  const path = (request.url ?? '/').replace(/[?#].*$/, '')
  const form = isOwnForm(request) ? await formOf(request) : null
  return shown.answer(mac, { name, path, form, twelveHours: saysTwelveHours(request) })
}

/** The name that a browser asked for. */
function hostOf({ headers }: IncomingMessage): string {
  return (headers.host ?? '').replace(/:\d+$/, '')
}

/** Whether the language that the browser likes best says hours up to twelve; not where it names none. */
function saysTwelveHours({ headers }: IncomingMessage): boolean {
  const [first = ''] = (headers['accept-language'] ?? '').split(/[,;]/)
  if (!/^[a-z]{2,3}(-[a-z]{4})?(-([a-z]{2}|\d{3}))?$/i.test(first.trim())) return false
  return new Intl.DateTimeFormat(first.trim(), { hour: 'numeric' }).resolvedOptions().hour12 === true
}

/** Whether a form was sent, by a page of the same name: another site cannot ask in somebody's stead. */
function isOwnForm({ method, headers }: IncomingMessage): boolean {
  const { origin, host, 'content-type': type = '' } = headers
  const isOwn = origin === undefined || origin === `http://${host}`
  return method === 'POST' && isOwn && type.startsWith('application/x-www-form-urlencoded')
}

/** The form that was sent; an empty one where it is too long. */
async function formOf(request: IncomingMessage): Promise<URLSearchParams> {
  const parts: Buffer[] = []
  let length = 0
  for await (const part of request) {
    length += (part as Buffer).length
    if (length <= LONGEST_FORM) parts.push(part as Buffer)
  }
  return new URLSearchParams(length > LONGEST_FORM ? '' : Buffer.concat(parts).toString())
}

function send(request: IncomingMessage, response: ServerResponse, answer: PageAnswer): void {
  response.setHeaders(
    new Map([
      ['content-type', 'text/html; charset=utf-8'],
      ['cache-control', 'no-store'],
      ['connection', 'close'],
      ['x-content-type-options', 'nosniff'],
      ['referrer-policy', 'same-origin'],
      [
        'content-security-policy',
        "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'",
      ],
    ]),
  )
  if ('location' in answer) response.writeHead(answer.status, { location: answer.location }).end()
  else response.writeHead(answer.status).end(request.method === 'HEAD' ? '' : answer.html)
}
