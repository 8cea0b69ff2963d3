import { gzipSync } from 'node:zlib'
import { chromium, type Browser, type Page } from '@playwright/test'
import { CHROMIUM_ARGS } from '../support/chromium.ts'
import { PASSWORD, startPlace } from '../support/place.ts'

/**
 * The figures measured in Chromium on the office demo of 500 devices: times in milliseconds, of keystrokes and
 * frames the 95th percentile.
 */
export interface BrowserFigures {
  readonly search: number
  readonly name: number
  readonly week: number
  readonly scrollMedian: number
  readonly scrollLate: number
  readonly lease: number
  readonly leaseGap: number
  readonly names: number
  readonly boardCold: number
  /** Until what is blocked now is said on the screen of a phone that opened the application before. */
  readonly phoneAnswer: number
  /** The client's JavaScript for it, the worker's too, in kilobytes as gzip packs it. */
  readonly boardScript: number
  readonly boardAgain: number
  readonly dragMedian: number
  readonly dragLate: number
  readonly panMedian: number
  readonly panLate: number
  readonly redraw: number
  readonly namesGap: number
}

const late = (times: readonly number[]) => times.toSorted((a, b) => a - b)[Math.floor(times.length * 0.95)]!
const middle = (times: readonly number[]) => times.toSorted((a, b) => a - b)[Math.floor(times.length / 2)]!

const BROWSER = {
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
  args: CHROMIUM_ARGS,
}

/** Measures the board of 500 devices once, from a cold page (ms). */
export async function boardTime(): Promise<number> {
  const place = await startPlace({ KAIROSTAT_DEMO: PASSWORD, KAIROSTAT_DEMO_SIZE: 'office' }, { options: [] })
  const browser = await chromium.launch(BROWSER)
  try {
    const [name, value] = (await place.signIn()).split('=') as [string, string]
    const page = await browser.newPage()
    await page.context().addCookies([{ name, value, url: place.url }])
    return await openBoard(page, place.url)
  } finally {
    await browser.close()
    await place.stop()
  }
}

/** Types, scrolls and reads a file of 50 MB in the built application, as a person would. */
export async function browserFigures(): Promise<BrowserFigures> {
  const place = await startPlace({ KAIROSTAT_DEMO: PASSWORD, KAIROSTAT_DEMO_SIZE: 'office' }, { options: [] })
  const browser = await chromium.launch(BROWSER)
  try {
    const [name, value] = (await place.signIn()).split('=') as [string, string]
    // Nothing of the application is in the cache of a new page.
    const newPage = async () => {
      const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
      await page.context().addCookies([{ name, value, url: place.url }])
      return page
    }
    const cold: number[] = []
    for (let turn = 0; turn < 3; turn++) {
      const page = await newPage()
      cold.push(await openBoard(page, place.url))
      await page.close()
    }
    const phoneAnswer = await phoneAnswers(browser, name, value, place.url)
    const page = await newPage()
    const board = await boardFigures(page, place.url)
    await page.goto(`${place.url}/devices`)
    // One looks first at what has come.
    await page.waitForTimeout(2000)
    const search = await keystrokes(page, 'Search devices', 'survey laptop 1', 'archive camera 2')
    await page.getByLabel('Search devices').fill('')
    const frames = await scrollFrames(page)
    await page.evaluate(() => scrollTo(0, 0))
    await page.getByLabel('Search devices').fill('Archive camera')
    await page
      .getByRole('link', { name: /^Archive camera/ })
      .first()
      .click()
    await page.getByLabel('Search devices').fill('')
    const device = await keystrokes(page, 'Note', 'on the shelf behind the large press', 'goes home at six')

    await page.goto(`${place.url}/schedules`)
    await page.getByRole('link', { name: /^Survey hours/ }).click()
    const week = await keystrokes(page, 'Week', '; Sa 09:00-12:30; Su 10:00-11:00', '; PH 10:00-12:00')

    await page.goto(`${place.url}/devices`)
    const lease = await leaseFile(page)
    await page.goto(`${place.url}/sites?new=list`)
    const names = await nameFile(page)
    return {
      search,
      name: device,
      week,
      scrollMedian: middle(frames),
      scrollLate: late(frames),
      boardCold: middle(cold),
      phoneAnswer: middle(phoneAnswer),
      ...board,
      ...lease,
      ...names,
    }
  } finally {
    await browser.close()
    await place.stop()
  }
}

/** Measures the time from asking for the board until a band is there. */
async function openBoard(page: Page, url: string): Promise<number> {
  await page.goto(url)
  await page.locator('[data-device] svg path').first().waitFor()
  return page.evaluate(() => performance.now())
}

/** Measures the wait of a phone's screen for the answer, opening by opening, the first apart. */
async function phoneAnswers(browser: Browser, name: string, value: string, url: string): Promise<number[]> {
  const context = await browser.newContext({ viewport: { width: 390, height: 844 } })
  await context.addCookies([{ name, value, url }])
  const times: number[] = []
  for (let turn = 0; turn < 6; turn++) {
    const page = await context.newPage()
    await page.addInitScript(() => {
      new MutationObserver((_, observer) => {
        if (!document.querySelector('h1')) return
        observer.disconnect()
        // As of the frame that shows it.
        requestAnimationFrame(() => performance.mark('answer'))
      }).observe(document, { subtree: true, childList: true })
    })
    await page.goto(url)
    await page.locator('[data-device]').first().waitFor()
    times.push(await page.evaluate(() => performance.getEntriesByName('answer')[0]!.startTime))
    await page.close()
  }
  await context.close()
  return times.slice(1)
}

/** Measures how the board follows one's acts, and the size of its page. */
async function boardFigures(page: Page, url: string) {
  await openBoard(page, url)
  const scripts = await page.evaluate(() => [
    ...new Set(
      performance
        .getEntriesByType('resource')
        .map(({ name }) => name)
        .filter((name) => name.endsWith('.js')),
    ),
  ])
  const texts = await Promise.all(
    scripts.map(async (script) => Buffer.from(await (await fetch(script)).arrayBuffer())),
  )
  const boardScript = texts.reduce((sum, text) => sum + gzipSync(text).length, 0) / 1000
  await page.getByRole('link', { name: 'Rules', exact: true }).click()
  await page.getByRole('heading', { name: /rules? (is|are) active/ }).waitFor()
  await page.waitForTimeout(500)
  const boardAgain = await page.evaluate(
    () =>
      new Promise<number>((resolve) => {
        const begun = performance.now()
        const look = () =>
          document.querySelector('[data-device] svg path')
            ? resolve(performance.now() - begun)
            : requestAnimationFrame(look)
        ;[...document.querySelectorAll('nav a')]
          .find((link) => link.textContent?.trim() === 'Board')!
          .dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true }))
        look()
      }),
  )
  await page.waitForTimeout(1000)

  const { x, y, width } = (await page.getByRole('slider').boundingBox())!
  await page.mouse.move(x + width * 0.2, y + 30)
  await page.mouse.down()
  await watchFrames(page)
  for (let step = 0; step < 90; step++) await page.mouse.move(x + width * (0.2 + step * 0.006), y + 30)
  const drag = await framesSince(page)
  await page.mouse.up()

  await page.getByRole('button', { name: 'Week', exact: true }).click()
  await page.waitForTimeout(500)
  await page.mouse.move(x + width * 0.7, 500)
  await page.keyboard.down('Shift')
  await watchFrames(page)
  for (let step = 0; step < 60; step++) await page.mouse.wheel(0, 40)
  await page.waitForTimeout(200)
  const pan = await framesSince(page)
  await page.keyboard.up('Shift')
  await page.keyboard.press('n')
  await page.getByRole('button', { name: 'Day', exact: true }).click()

  // A change of the draft, until the board that looks at the draft shows it: the server, its event and the
  // drawing together.
  await page.getByLabel('Which devices').fill('Engraving')
  const redraw = await page.evaluate(async () => {
    const draft = (await (await fetch('/api/draft')).json()) as {
      rules: { id: string }[]
      devices: { id: string; name: string }[]
    }
    const device = draft.devices.find(({ name }) => name.startsWith('Engraving'))!
    const rule = {
      name: 'All stop',
      effect: 'block',
      who: { devices: [device.id] },
      what: { internet: true },
      when: { always: true },
    }
    const send = (method: string, path: string, body: unknown) =>
      fetch(path, { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
    const { id } = (await (await send('POST', '/api/rules', { ...rule, enabled: false })).json()) as {
      id: string
    }
    await new Promise((resolve) => setTimeout(resolve, 600))
    document.querySelector<HTMLElement>('[aria-label="Which policy"] button:last-child')!.click()
    await new Promise((resolve) => setTimeout(resolve, 1500))
    const row = () => document.querySelector(`[data-device="${device.id}"] .track`)?.innerHTML
    const times: number[] = []
    for (let turn = 0; turn < 9; turn++) {
      const before = row()
      const begun = performance.now()
      const shown = new Promise<number>((resolve) => {
        const look = () =>
          row() !== before ? resolve(performance.now() - begun) : requestAnimationFrame(look)
        look()
      })
      await send('PUT', `/api/rules/${id}`, { ...rule, enabled: turn % 2 === 0 })
      times.push(await shown)
      await new Promise((resolve) => setTimeout(resolve, 1000))
    }
    return times
  })
  await page.getByRole('button', { name: 'Live', exact: true }).click()
  return {
    boardScript,
    boardAgain,
    dragMedian: middle(drag),
    dragLate: late(drag),
    panMedian: middle(pan),
    panLate: late(pan),
    redraw: middle(redraw),
  }
}

/**
 * From each keystroke until the frame that shows it was painted, of typing some texts of about fifty keys in
 * all, each taken away again key by key before the next.
 */
async function keystrokes(page: Page, label: string, ...texts: readonly string[]): Promise<number> {
  const field = page.getByLabel(label, { exact: true }).first()
  await field.press('End')
  await page.evaluate(() => {
    const times: number[] = []
    Object.assign(window, { times })
    document.addEventListener(
      'keydown',
      (event) =>
        requestAnimationFrame(() => {
          const painted = new MessageChannel()
          painted.port1.onmessage = () => times.push(performance.now() - event.timeStamp)
          painted.port2.postMessage(null)
        }),
      { capture: true },
    )
  })
  for (const [index, text] of texts.entries()) {
    for (let key = 0; key < (texts[index - 1]?.length ?? 0); key++) {
      await field.press('Backspace')
      await page.waitForTimeout(70)
    }
    await field.pressSequentially(text, { delay: 70 })
  }
  await page.waitForTimeout(200)
  return late(await page.evaluate(() => (window as unknown as { times: number[] }).times))
}

/** The times between frames while the list is scrolled from its top to its end and back, by the wheel. */
async function scrollFrames(page: Page): Promise<number[]> {
  await page.mouse.move(500, 600)
  await watchFrames(page)
  for (let turn = 0; turn < 60; turn++) {
    await page.mouse.wheel(0, turn < 40 ? 500 : -1000)
    await page.waitForTimeout(25)
  }
  return framesSince(page)
}

/**
 * Measures the time that a lease file of 50 MB takes until its outcome is shown, and the longest time
 * meanwhile in which no frame was drawn.
 */
async function leaseFile(page: Page): Promise<{ lease: number; leaseGap: number }> {
  await page.getByRole('button', { name: 'Import addresses' }).click()
  // Made in the page: a file of that size does not fit through the pipe that steers the browser. In pieces,
  // so
  // that the page is not clearing up after it while it is measured.
  await page.evaluate(() => {
    const hex = (number: number) => number.toString(16).padStart(2, '0')
    const line = (index: number) =>
      `1795428000 02:5e:${hex(index >> 24)}:${hex((index >> 16) & 255)}:${hex((index >> 8) & 255)}:${hex(index & 255)} 192.0.2.9 host-${index} 01:02:5e:00:00:00:00\n`
    const pieces = Array.from({ length: 800 }, (_, piece) => {
      const lines = Array.from({ length: 1000 }, (_, index) => line(piece * 1000 + index))
      return new Blob([lines.join('')])
    })
    const file = new File(pieces, 'dnsmasq.leases')
    if (file.size < 50_000_000) throw new Error(`The file has only ${file.size} bytes.`)
    Object.assign(window, { file })
  })
  const { time, gap } = await dropFile(page, '#intake-text', 'Read as leases of dnsmasq: 800000 new.')
  return { lease: time, leaseGap: gap }
}

/** The same with a list of a million names. */
async function nameFile(page: Page): Promise<{ names: number; namesGap: number }> {
  await page.getByLabel(/^Sites and addresses, one per line|^Sites, one per line/).waitFor()
  await page.evaluate(() => {
    const names = Array.from(
      { length: 1_000_000 },
      (_, index) => `host${index.toString(36)}.zone${index % 977}.example`,
    )
    Object.assign(window, { file: new File([names.join('\n')], 'names.txt') })
  })
  const { time, gap } = await dropFile(
    page,
    '.sites textarea',
    'names.txt is a plain list with 1,000,000 sites.',
  )
  return { names: time, namesGap: gap }
}

/**
 * Drops the file that the page made where a field stands; how long it takes until its outcome is said, and
 * the longest time meanwhile in which no frame was drawn.
 */
async function dropFile(page: Page, field: string, outcome: string): Promise<{ time: number; gap: number }> {
  await page.waitForTimeout(500)
  await watchFrames(page)
  const begun = performance.now()
  await page.locator(field).evaluate((element) => {
    const transfer = new DataTransfer()
    transfer.items.add((window as unknown as { file: File }).file)
    element.dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }))
  })
  await page.getByRole('progressbar').waitFor()
  await page.getByText(outcome).waitFor({ timeout: 60_000 })
  const time = performance.now() - begun
  return { time, gap: Math.max(...(await framesSince(page))) }
}

async function watchFrames(page: Page): Promise<void> {
  await page.evaluate(() => {
    const frames: number[] = []
    Object.assign(window, { frames })
    let last = performance.now()
    const next = () =>
      requestAnimationFrame((now) => {
        frames.push(now - last)
        last = now
        next()
      })
    next()
  })
}

function framesSince(page: Page): Promise<number[]> {
  return page.evaluate(() => (window as unknown as { frames: number[] }).frames.slice(1))
}
