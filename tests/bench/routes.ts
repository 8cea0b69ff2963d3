import { setTimeout as pause } from 'node:timers/promises'
import { PASSWORD, startPlace } from '../support/place.ts'

/** The figures of a route: its time, and the longest wait of somebody else meanwhile (ms). */
interface RouteTime {
  readonly route: string
  readonly took: number
  readonly othersWaited: number
}

/** The ten routes that cost the server most, at an office of 500 devices. */
function heavyRoutes(): string[] {
  const [from, until] = [
    new Date(Date.now() - 7 * 86_400_000).toISOString().slice(0, 19),
    new Date().toISOString().slice(0, 19),
  ]
  const span = `from=${from}Z&until=${until}Z`
  return [
    '/api/live',
    '/api/draft',
    '/api/draft/parts',
    '/api/revisions/1',
    `/api/history?from=${from}Z`,
    `/api/lookups/search?until=${until}Z`,
    `/api/usage?${span}`,
    '/api/places/search?text=e',
    '/api/audit/file',
    '/api/backup',
  ]
}

/**
 * Asks each of the ten so many times, four at once, while somebody else asks for a page ten times a second;
 * the slowest first.
 */
export async function routeTimes(turns: number): Promise<RouteTime[]> {
  const place = await startPlace({ KAIROSTAT_DEMO: PASSWORD, KAIROSTAT_DEMO_SIZE: 'office' }, { options: [] })
  try {
    const cookie = await place.signIn()
    const times: RouteTime[] = []
    for (const route of heavyRoutes()) {
      const state = { isOver: false, longest: 0 }
      const others = (async () => {
        while (!state.isOver) {
          const begun = performance.now()
          await (await place.send('GET', '/sign-in')).text()
          state.longest = Math.max(state.longest, performance.now() - begun)
          await pause(100)
        }
      })()
      let took = 0
      for (let turn = 0; turn < turns; turn++)
        await Promise.all(
          Array.from({ length: 4 }, async () => {
            const begun = performance.now()
            const response = await place.send('GET', route, { cookie })
            await response.arrayBuffer()
            if (!response.ok) throw new Error(`${route} was answered ${response.status}.`)
            took = Math.max(took, performance.now() - begun)
          }),
        )
      state.isOver = true
      await others
      times.push({ route: route.split('?')[0]!, took, othersWaited: state.longest })
    }
    return times.sort((a, b) => b.took - a.took)
  } finally {
    await place.stop()
  }
}
