import { spawn } from 'node:child_process'
import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { IS_LONG } from '../support/long.ts'
import { freePort, SETUP_CODE, startPlace } from '../support/place.ts'
import { BASELINE_WASM } from '../support/wasm.ts'
import { expect, openPage, test } from './support/place.ts'

/** How often the process is killed after an edit. */
const ROUNDS = IS_LONG ? 4 : 1

test('an empty place: the first visit sets the administrator, and an acknowledged edit survives kill -9', async ({
  page,
}) => {
  const place = await startPlace({})
  try {
    await page.goto(place.url)
    await expect(page.getByRole('heading', { level: 1 })).toHaveText('Set up Kairostat')
    await page.getByLabel('Set-up code').fill('wrong')
    await page.getByLabel('Name', { exact: true }).fill('ada')
    await page.getByLabel('Password').fill('short')
    await page.getByLabel('Name of your network').fill('Our house')
    await page.getByRole('button', { name: 'Set up' }).click()
    await expect(page.getByText('is too short')).toBeVisible()
    await page.getByLabel('Password').fill('long enough it is')
    await page.getByRole('button', { name: 'Set up' }).click()
    await expect(page.getByText('The set-up code is wrong.')).toBeVisible()
    await page.getByLabel('Set-up code').fill(SETUP_CODE)
    await page.getByRole('button', { name: 'Set up' }).click()
    await expect(page.getByRole('heading', { level: 1 })).toHaveText('Right now, nobody is blocked.')
    await expect(page.getByRole('region', { name: 'First steps' }).getByRole('link')).toHaveCount(6)
    await expect(page.getByTestId('standing')).toHaveText('No rules are applied yet.')
    await openPage(page, 'Schedules')
    await expect(page.getByText('No schedules yet.')).toBeVisible()
    await openPage(page, 'Rules')
    await expect(page.getByText('No rules yet')).toBeVisible()
    expect(
      (
        await place.send('POST', '/api/setup', {
          body: {
            code: SETUP_CODE,
            name: 'eve',
            password: 'long enough too',
            place: { name: 'X', timeZone: 'UTC' },
          },
        })
      ).status,
    ).toBe(409)

    const cookie = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ')
    for (let round = 1; round <= ROUNDS; round++) {
      const answer = await place.send('POST', '/api/schedules', {
        cookie,
        body: { name: `Round ${round}`, week: '21:00-07:00' },
      })
      expect(answer.status).toBe(200)
      await place.kill()
      await place.start()
      const draft = (await (await place.send('GET', '/api/draft', { cookie })).json()) as {
        schedules: { name: string }[]
      }
      expect(draft.schedules.map((schedule) => schedule.name)).toEqual(
        Array.from({ length: round }, (_, index) => `Round ${index + 1}`),
      )
    }
  } finally {
    await place.stop()
  }
})

test('a data folder that is in use gets one clear line', async () => {
  const place = await startPlace({})
  try {
    const folder = place.folder
    const second = spawn(process.execPath, [BASELINE_WASM, '.output/server/index.mjs'], {
      env: {
        ...process.env,
        HOST: '127.0.0.1',
        PORT: String(await freePort()),
        KAIROSTAT_DATA: folder,
        LOG_LEVEL: 'silent',
      },
      stdio: ['ignore', 'ignore', 'pipe'],
    })
    let said = ''
    second.stderr.on('data', (text: Buffer) => {
      said += String(text)
    })
    const code = await new Promise((resolve) => second.once('exit', resolve))
    expect([code, said.trim()]).toEqual([
      1,
      expect.stringMatching(
        /^The data folder .* is in use by process \d+\. Stop that one, or choose another folder\.$/,
      ),
    ])
  } finally {
    await place.stop()
  }
})

test('an error that nothing catches is told, and Kairostat ends in good order', async () => {
  const folder = await mkdtemp(join(tmpdir(), 'kairostat-e2e-'))
  const fails = join(folder, 'fails.mjs')
  await writeFile(fails, `process.on('SIGUSR2', () => { throw new Error('made up by a test') })`)
  const start = (data: string, more: readonly string[] = []) =>
    spawn(process.execPath, [BASELINE_WASM, ...more, '.output/server/index.mjs'], {
      env: {
        ...process.env,
        ...{ HOST: '127.0.0.1', PORT: '0', KAIROSTAT_DATA: join(folder, data), LOG_LEVEL: 'fatal' },
      },
    })
  const server = start('data', ['--import', fails])
  const said = { out: '', err: '' }
  server.stdout.on('data', (text: Buffer) => (said.out += String(text)))
  server.stderr.on('data', (text: Buffer) => (said.err += String(text)))
  const ended = new Promise((resolve) => server.once('close', resolve))
  try {
    await expect.poll(() => said.out, { timeout: 60_000 }).toContain('Listening on')
    server.kill('SIGUSR2')
    expect(await ended).toBe(1)
    expect(said.err).toContain('Kairostat ends: an error that nothing caught. Details are in its log.')
    expect(said.out + said.err).toContain('made up by a test')
    // It let go of its folder, and left its database whole.
    const next = start('data')
    let again = ''
    next.stdout.on('data', (text: Buffer) => (again += String(text)))
    await expect.poll(() => again, { timeout: 60_000 }).toContain('Listening on')
    next.kill('SIGKILL')
  } finally {
    server.kill('SIGKILL')
    await rm(folder, { recursive: true, force: true })
  }
})

test('a gateway that is away is shown as such, and gets what is live when it is back', async ({ page }) => {
  const port = await freePort()
  const token = 'a-secret-between-the-two'
  const place = await startPlace({
    KAIROSTAT_DEMO: 'a-demo-password',
    KAIROSTAT_GATEWAY: `http://127.0.0.1:${port}`,
    KAIROSTAT_GATEWAY_TOKEN: token,
  })
  const startGateway = () =>
    spawn(
      process.execPath,
      [
        'bin/kairostat',
        'gateway',
        '--dataplane',
        'simulated',
        '--listen',
        `127.0.0.1:${port}`,
        '--token-file',
        `${place.folder}/secret`,
        '--state',
        `${place.folder}/gateway`,
        '--time-zone',
        'Europe/Lisbon',
      ],
      { stdio: ['ignore', 'ignore', 'inherit'] },
    )
  await writeFile(`${place.folder}/secret`, token)
  let gateway = startGateway()
  try {
    const [name, value] = (await place.signIn()).split('=') as [string, string]
    await page.context().addCookies([{ name, value, url: place.url }])
    await page.goto(place.url)
    await expect(page.getByText('up to date')).toBeVisible({ timeout: 20_000 })
    gateway.kill('SIGKILL')
    await expect(page.getByRole('status').getByText('the gateway does not answer')).toBeVisible()
    await expect(page.getByTestId('standing')).toContainText(
      'Revision 1 is waiting: the gateway does not answer',
    )
    await page.goto(`${place.url}/review`)
    await page.getByRole('button', { name: 'Apply changes' }).click()
    await expect(page.getByText('Revision 2 is saved, but the gateway does not answer.')).toBeVisible()
    gateway = startGateway()
    await expect(page.getByTestId('standing')).toContainText('Revision 2 is live since', { timeout: 20_000 })
  } finally {
    gateway.kill('SIGKILL')
    await place.stop()
  }
})
