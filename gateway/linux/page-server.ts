import { createServer, type Server } from 'node:http'
import { plainAddress } from '../names/doors.ts'

/**
 * The page that a closed name leads to, over plain HTTP: TLS would need a certificate of the name that was
 * asked for, which nobody gives.
 */
export interface PageServer {
  /**
   * Opens or closes its port.
   *
   * @throws Error where that is taken
   */
  show(shown: boolean): Promise<void>
}

/** Serves whoever asks, by the address and the name, with a text of HTML; `null` = who it is is not known. */
export function pageServer(
  port: number,
  pageFor: (from: string, name: string) => string | null,
  fault: (error: unknown) => void,
): PageServer {
  let server: Server | null = null
  const make = () =>
    createServer({ requestTimeout: 10_000 }, (request, response) => {
      const name = (request.headers.host ?? '').replace(/:\d+$/, '')
      let page: string | null = null
      try {
        page = pageFor(plainAddress(request.socket.remoteAddress ?? ''), name)
      } catch (error) {
        fault(error)
      }
      response
        .writeHead(page === null ? 503 : 403, {
          'content-type': 'text/html; charset=utf-8',
          'cache-control': 'no-store',
          'connection': 'close',
          'x-content-type-options': 'nosniff',
          'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'",
        })
        .end(
          request.method === 'HEAD'
            ? ''
            : (page ??
                '<!doctype html><title>Closed</title><p>This is closed, and it is not known for whom. Try again in a moment.'),
        )
    })
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
      await new Promise<void>((resolve, reject) => fresh.once('error', reject).listen(port, '::', resolve))
      fresh.off('error', fault).on('error', fault)
      server = fresh
    },
  }
}
