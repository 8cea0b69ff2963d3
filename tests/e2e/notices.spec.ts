import { createServer } from 'node:http'
import { createServer as createSocketServer, type AddressInfo } from 'node:net'
import { SMTPServer } from 'smtp-server'
import { PASSWORD, startPlace } from '../support/place.ts'
import { choose, expect, test } from './support/place.ts'

test('mail server, webhook and log server are tried from the settings; alarms come by all, in one mail', async ({
  page,
}) => {
  const mails: string[] = []
  const smtp = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS'],
    onData(stream, _session, done) {
      let text = ''
      stream.on('data', (part: Buffer) => (text += part.toString()))
      stream.on('end', () => {
        mails.push(text)
        done()
      })
    },
  })
  await new Promise<void>((resolve) => smtp.listen(0, '127.0.0.1', resolve))
  const hooks: { kind: string; words: string }[] = []
  const hook = createServer(async (request, response) => {
    const parts: Buffer[] = []
    for await (const part of request) parts.push(part as Buffer)
    hooks.push(JSON.parse(Buffer.concat(parts).toString()) as (typeof hooks)[0])
    response.end()
  })
  await new Promise<void>((resolve) => hook.listen(0, '127.0.0.1', resolve))
  let logged = ''
  const log = createSocketServer((socket) => socket.on('data', (data) => (logged += String(data))))
  await new Promise<void>((resolve) => log.listen(0, '127.0.0.1', resolve))
  const place = await startPlace({ KAIROSTAT_DEMO: PASSWORD })
  try {
    const [name, value] = (await place.signIn()).split('=') as [string, string]
    await page.context().addCookies([{ name, value, url: place.url }])
    await page.goto(`${place.url}/settings/notices`)
    const own = page.getByRole('form', { name: 'Your notices' })
    await expect(own.getByText('No mail server is set')).toBeVisible()
    await own.getByLabel('Your mail address').fill('demo@bindery.example')
    await own.getByLabel('I sign in from a new address').check()
    await own.getByLabel('An alarm of the gateway').check()
    await own.getByRole('button', { name: 'Save' }).click()
    await expect(own.getByRole('status')).toHaveText('Your notices are saved.')

    const server = page.getByRole('form', { name: 'Mail server' })
    await server.getByLabel('Server name').fill('127.0.0.1')
    await server.getByLabel('Port').fill('1')
    await choose(server, 'Protection', 'Not protected')
    await server.getByLabel('Sender address').fill('kairostat@bindery.example')
    await server.getByRole('button', { name: 'Send a test message' }).click()
    await expect(server.getByRole('alert')).toContainText('It could not be sent. connect ECONNREFUSED')
    await server.getByLabel('Port').fill(String((smtp.server.address() as AddressInfo).port))
    await server.getByRole('button', { name: 'Send a test message' }).click()
    await expect(server.getByRole('status')).toHaveText('A test message was sent to demo@bindery.example.')
    expect(mails.length).toBe(1)
    await server.getByRole('button', { name: 'Save' }).click()
    await expect(server.getByText('The mail server is saved.')).toBeVisible()

    const webhooks = page.getByRole('region', { name: 'Webhooks' })
    const url = `http://127.0.0.1:${(hook.address() as AddressInfo).port}/`
    await webhooks.getByLabel('Address').fill(url)
    await webhooks.getByRole('button', { name: 'Add webhook' }).click()
    await expect(webhooks.getByLabel('Secret of the webhook', { exact: true })).toHaveText(/^[\w-]{43}$/)
    await webhooks.getByRole('button', { name: `Send a test to ${url}` }).click()
    await expect(webhooks.getByText(`${url} took the test notice.`)).toBeVisible()
    expect(hooks.splice(0).map(({ kind }) => kind)).toEqual(['test'])

    const logs = page.getByRole('region', { name: 'Log servers' })
    const logPort = (log.address() as AddressInfo).port
    await logs.getByLabel('Server name or address').fill('127.0.0.1')
    await choose(logs, 'Connection', 'TCP (not protected)')
    await logs.getByLabel('Port').fill(String(logPort))
    await logs.getByRole('button', { name: 'Add log server' }).click()
    await expect(logs.getByText(`127.0.0.1:${logPort} was added.`)).toBeVisible()
    await logs.getByRole('button', { name: `Send a test to 127.0.0.1:${logPort}` }).click()
    await expect(logs.getByText(`A test message was sent to 127.0.0.1:${logPort}.`)).toBeVisible()
    await expect.poll(() => logged).toContain('place="Saltmarsh Bindery"] \ufeffA test message of Kairostat')
    await expect.poll(() => logged).toContain('Log server added: 127.0.0.1')

    // The gateway goes wrong in two ways: two notices by the webhook, one mail.
    const cookie = `${name}=${value}`
    for (const trouble of ['put-back', 'upstream'])
      await place.send('PUT', '/api/gateway/pretend', { cookie, body: { trouble } })
    await expect.poll(() => hooks.map(({ kind }) => kind), { timeout: 30_000 }).toEqual(['alarm', 'alarm'])
    await expect.poll(() => logged).toContain('alarm="put-back"')
    await expect.poll(() => mails.length, { timeout: 40_000 }).toBe(2)
    expect(mails[1]).toContain('2 notices')
  } finally {
    await place.stop()
    await new Promise<void>((resolve) => smtp.close(() => resolve()))
    await new Promise((resolve) => hook.close(resolve))
    await new Promise((resolve) => log.close(resolve))
  }
})
