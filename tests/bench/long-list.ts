import { chromium } from '@playwright/test'
import { CHROMIUM_ARGS } from '../support/chromium.ts'
import { PASSWORD, startPlace } from '../support/place.ts'

/** Measures the cost of a live list of a million sites, relative to the time without it. */
export interface LongListFigures {
  readonly board: number
  readonly edit: number
}

const [SITES, TURNS] = [1_000_000, 7]
const middle = (times: readonly number[]) => times.toSorted((a, b) => a - b)[Math.floor(times.length / 2)]!

/** Opens the board and edits the draft of the workshop, without the list and with it. */
export async function longListFigures(
  { sites, turns } = { sites: SITES, turns: TURNS },
): Promise<LongListFigures> {
  const place = await startPlace({ KAIROSTAT_DEMO: PASSWORD }, { options: [] })
  const browser = await chromium.launch({
    executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
    args: CHROMIUM_ARGS,
  })
  try {
    const cookie = await place.signIn()
    const [name, value] = cookie.split('=') as [string, string]
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
    await page.context().addCookies([{ name, value, url: place.url }])
    const send = async (method: string, path: string, body: unknown) => {
      const response = await place.send(method, path, { cookie, body })
      if (!response.ok) throw new Error(`${method} ${path}: ${await response.text()}`)
      return (await response.json()) as { id?: string }
    }
    const measured = async (turn: (index: number) => Promise<unknown>) => {
      const times: number[] = []
      // The first is not counted: what is cold then is so once.
      for (let index = 0; index <= turns; index++) {
        const begun = performance.now()
        await turn(index)
        if (index > 0) times.push(performance.now() - begun)
      }
      return middle(times)
    }
    const figures = async () => ({
      board: await measured(async () => {
        await page.goto(place.url)
        await page.locator('[data-device] svg path').first().waitFor()
      }),
      edit: await measured((index) =>
        send('PUT', '/api/place', { name: `Saltmarsh ${index}`, timeZone: 'Europe/Lisbon' }),
      ),
    })
    const without = await figures()
    const entries = Array.from({ length: sites }, (_, index) => `host${index.toString(36)}.example`)
    const { id } = await send('POST', '/api/site-lists', { name: 'Million', note: '', entries })
    await send('POST', '/api/rules', {
      name: 'No million',
      effect: 'block',
      who: { everyone: true },
      what: { siteLists: [id] },
      when: { always: true },
    })
    await send('POST', '/api/revisions', { note: '' })
    const together = await figures()
    return { board: together.board / without.board, edit: together.edit / without.edit }
  } finally {
    await browser.close()
    await place.stop()
  }
}
