import { existsSync } from 'node:fs'
import { mkdtemp, writeFile } from 'node:fs/promises'
import { createServer } from 'node:net'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { startGateway } from '../program/gateway.ts'
import { simulatedPlane } from '../planes/simulated/plane.ts'
import { WORKSHOP } from '../planes/simulated/workshop.ts'
import { switchedGateway, type SwitchedGateway } from '../transport/switched.ts'
import type { RouterPairing } from '../../protocol/router.ts'
import { startSshShell } from '../../tests/support/ssh-shell.ts'
import { PAIRING_FILE, RouterDriver } from './driver.ts'

let folder: string
let gateway: SwitchedGateway
let driver: RouterDriver
let bound: (isBound: boolean) => Promise<void>
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'kairostat-router-'))
  gateway = switchedGateway()
  bound = async () => {}
  driver = new RouterDriver({
    folder,
    gateway,
    unpaired: () => startGateway(simulatedPlane(WORKSHOP, { timeZone: 'UTC', seed: 1 }), { folder: null }),
    timeZone: async () => 'UTC',
    bound: (isBound) => bound(isBound),
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
    path: 'address',
    message: expect.stringContaining('cannot be reached') as string,
  })
  // Watchers are told to watch anew.
  await changes
  expect((await gateway.status()).plane).toBe('simulated')
  expect(await driver.answer()).toEqual({
    pairing: null,
    letIn: {
      whole: expect.stringMatching(/line='ssh-ed25519 [\w+/]+=* kairostat'/) as string,
      bound: expect.stringMatching(/no-pty ssh-ed25519 [\w+/]+=* kairostat'/) as string,
    },
  })
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

test('what was begun at a router that cannot be driven after all is ended, and the next try begins from nothing', async () => {
  const router = await startSshShell((channel, command) => {
    if (command.includes('monitor')) return
    const said = Object.entries(SAID).find(([part]) => command.includes(part))?.[1] ?? ''
    channel.write(said)
    channel.exit(command.includes('-j list table') ? 1 : 0)
    channel.end()
  })
  await driver.start()
  const fail = () => {
    throw new Error('the disk is full')
  }
  const use = gateway.use.bind(gateway)
  // After it was set running, and after it was put in its place.
  const failures = [
    () => (gateway.use = (next) => (gateway.use = use) && fail() && use(next)),
    () => (bound = async (isBound) => void (isBound && fail())),
  ]
  for (const failNow of failures) {
    failNow()
    await expect(driver.pair(pairingAt(router.port))).rejects.toMatchObject({
      path: 'address',
      message: 'the disk is full',
    })
    expect([(await gateway.status()).plane, driver.isPaired, existsSync(join(folder, PAIRING_FILE))]).toEqual(
      ['simulated', false, false],
    )
    await expect.poll(router.connected).toBe(0)
  }
  bound = async () => {}
  await driver.pair(pairingAt(router.port))
  expect([(await gateway.status()).plane, driver.isPaired, router.connected()]).toEqual(['linux', true, 1])
  // The one that was paired before goes on where another cannot be.
  bound = async () => fail()
  await expect(driver.pair({ ...pairingAt(router.port), lans: ['br1'] })).rejects.toThrow()
  expect((await driver.answer()).pairing?.lans).toEqual(['br0'])
  expect((await gateway.status()).plane).toBe('linux')
  await driver.stop()
  await expect.poll(router.connected).toBe(0)
  router.stop()
})

/** The answers of a router to commands with a text in them. */
const SAID = {
  'date': String(Math.floor(Date.now() / 1000)),
  'ip -j addr': JSON.stringify(
    ['br0', 'br1'].map((ifname) => ({
      ifname,
      addr_info: [{ family: 'inet', local: '127.0.0.1', prefixlen: 24 }],
    })),
  ),
  'ip -j': '[]',
  'flowtables': '{"nftables":[]}',
  'SSH_CONNECTION': '127.0.0.1 40000 127.0.0.1 22',
}
