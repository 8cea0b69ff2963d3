import type { Change, Evidence, Gateway, GatewayStatus, Refusal, Sighting } from './protocol.ts'

/** How long an answer may take, in milliseconds. */
const PATIENCE = 3000

/** A gateway at the other end of an HTTP connection (docs/gateway-protocol.md). A call fails where it is away, refuses the token or takes over three seconds. */
export function gatewayAt(address: string, token: string): Gateway {
  const headers = { 'authorization': `Bearer ${token}`, 'content-type': 'application/json' }
  const call = async <T>(method: string, path: string, body?: unknown): Promise<T> => {
    const response = await fetch(new URL(path, address), { method, headers, body: body === undefined ? undefined : JSON.stringify(body), signal: AbortSignal.timeout(PATIENCE) })
    if (!response.ok) throw new Error(`The gateway answered ${response.status}: ${response.statusText}`)
    return await response.json() as T
  }
  return {
    status: () => call<GatewayStatus>('GET', '/v1/status'),
    sightings: () => call<Sighting[]>('GET', '/v1/sightings'),
    evidence: () => call<Evidence>('GET', '/v1/evidence'),
    check: async proposal => (await call<{ faults: Refusal }>('POST', '/v1/check', proposal)).faults,
    enforce: async proposal => (await call<{ faults: Refusal }>('PUT', '/v1/policy', proposal)).faults,
    setClock: async (instant) => {
      await call('PUT', '/v1/clock', { instant })
    },
    watch: async (changed, signal) => {
      const response = await fetch(new URL('/v1/changes', address), { headers, signal })
      if (!response.ok || !response.body) throw new Error(`The gateway answered ${response.status}: ${response.statusText}`)
      let rest = ''
      const reader = response.body.pipeThrough(new TextDecoderStream()).getReader()
      for (let read = await reader.read(); !read.done; read = await reader.read()) {
        const lines = (rest + read.value).split('\n')
        rest = lines.pop()!
        for (const line of lines) if (line.startsWith('data: ')) changed(line.slice(6).trim() as Change)
      }
    },
  }
}
