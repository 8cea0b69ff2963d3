import { mkdtemp, writeFile } from 'node:fs/promises'
import { createServer } from 'node:net'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { startGateway } from '../../gateway/gateway.ts'
import { simulatedPlane } from '../../gateway/simulated/plane.ts'
import { WORKSHOP } from '../../gateway/simulated/workshop.ts'
import { SwitchedGateway } from '../../gateway/switched.ts'
import type { RouterPairing } from '../../protocol/router.ts'
import { RouterDriver } from './router.ts'

let folder: string
let gateway: SwitchedGateway
let driver: RouterDriver
let forgotten: number
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'kairostat-router-'))
  gateway = new SwitchedGateway()
  forgotten = 0
  driver = new RouterDriver({
    folder,
    gateway,
    unpaired: () => startGateway(simulatedPlane(WORKSHOP, 'UTC', 1), { folder: null }),
    timeZone: async () => 'UTC',
    bound: async () => {},
    forget: async () => void forgotten++,
    fault: () => {},
  })
})
afterEach(() => driver.stop())

/** A port of this machine on which nobody listens. */
async function silentPort(): Promise<number> {
  const server = createServer()
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const { port } = server.address() as AddressInfo
  await new Promise((resolve) => server.close(resolve))
  return port
}
const pairingAt = (port: number): RouterPairing => ({
  address: '127.0.0.1',
  port,
  user: 'root',
  lans: ['br0'],
  fallback: 'open',
  offload: 'all',
  startUp: false,
})

test('a router that cannot be reached is not driven, and the simulated network goes on', async () => {
  await driver.start()
  const pairing = pairingAt(await silentPort())
  expect(await driver.look(pairing)).toEqual({
    trouble: expect.stringMatching(
      /^127\.0\.0\.1 cannot be reached: nothing listens on its port \d+\. Check that its SSH server runs\.$/,
    ),
    isLocked: false,
  })
  const changes = new Promise<void>((resolve) => {
    void gateway.watch(() => {}, new AbortController().signal).then(resolve)
  })
  await expect(driver.pair(pairing)).rejects.toMatchObject({
    code: 'not-possible',
    faults: [{ path: 'address', message: expect.stringContaining('cannot be reached') as string }],
  })
  // Who watched is told to watch anew.
  await changes
  expect((await gateway.status()).plane).toBe('simulated')
  expect(await driver.answer()).toEqual({
    pairing: null,
    letIn: {
      whole: expect.stringMatching(/line='ssh-ed25519 [\w+/]+=* kairostat'/) as string,
      bound: expect.stringMatching(/no-pty ssh-ed25519 [\w+/]+=* kairostat'/) as string,
    },
  })
  expect(forgotten).toBe(0)
})

test('a paired router that is away is told of and never taken for the simulated network, nor is a damaged pairing', async () => {
  await writeFile(join(folder, 'router.json'), JSON.stringify(pairingAt(await silentPort())))
  await driver.start()
  await expect(gateway.status()).rejects.toThrow('127.0.0.1 cannot be reached')
  expect((await driver.answer()).pairing).toMatchObject({ address: '127.0.0.1', lans: ['br0'] })
  await driver.stop()
  for (const text of ['{', '{"address":"192.168.77.1"}', '{"address":"a b","lans":["br0"]}']) {
    await writeFile(join(folder, 'router.json'), text)
    await driver.start()
    await expect(gateway.status()).rejects.toThrow(/router\.json is damaged: connect the router again\.$/)
  }
})
