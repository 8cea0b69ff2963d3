import { startPlace } from '../support/place.ts'

/**
 * The median time (ms), over some edits, from asking the built application to put the draft live until it
 * answers that the gateway holds its digest.
 */
export async function putLiveTime(runs: number): Promise<number> {
  const place = await startPlace({ KAIROSTAT_DEMO: 'a-demo-password' }, { options: [] })
  try {
    const cookie = await place.signIn()
    const times: number[] = []
    for (let run = 0; run < runs; run++) {
      await place.send('POST', '/api/schedules', {
        cookie,
        body: { name: `Run ${run}`, week: '21:00-07:00' },
      })
      const begun = performance.now()
      const answer = (await (await place.send('POST', '/api/revisions', { cookie, body: {} })).json()) as {
        gateway: { state: string }
      }
      if (answer.gateway.state !== 'in-force') throw new Error(JSON.stringify(answer))
      times.push(performance.now() - begun)
    }
    return times.sort((a, b) => a - b)[Math.floor(runs / 2)]!
  } finally {
    await place.stop()
  }
}
