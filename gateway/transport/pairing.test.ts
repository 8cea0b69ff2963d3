import { mkdtemp, readFile, rm, stat, writeFile } from 'node:fs/promises'
import type { AddressInfo } from 'node:net'
import type { Server } from 'node:http'
import { Agent, request } from 'node:https'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeAll, beforeEach, expect, test, vi } from 'vitest'
import { startGateway, type GatewayProgram } from '../program/gateway.ts'
import { gatewayAt, pairWith } from './http-client.ts'
import { gatewayServer } from './http-server.ts'
import { GatewaySecret, keyOfCode, PAIRING_IDENTITY } from './pairing.ts'
import { newCode, plainCode } from '../../node/code.ts'
import { SECURE } from '../../node/secure.ts'
import { simulatedPlane } from '../planes/simulated/plane.ts'

const [GIVEN, FIRST] = ['g'.repeat(43), 'f'.repeat(43)]
let folder: string
let program: GatewayProgram
let secret: GatewaySecret
let server: Server
let address: string
const said = vi.fn()

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'kairostat-pairing-'))
  program = await startGateway(simulatedPlane([], { timeZone: 'UTC', seed: 1 }), { folder: null })
})
afterAll(async () => {
  await program.stop()
  await rm(folder, { recursive: true, force: true })
})
beforeEach(async () => {
  said.mockClear()
  await rm(join(folder, 'secret'), { force: true })
  secret = await GatewaySecret.open(join(folder, 'secret'), FIRST, said)
  server = gatewayServer(program, secret, true).listen(0, '127.0.0.1')
  await new Promise((resolve) => server.once('listening', resolve))
  address = `127.0.0.1:${(server.address() as AddressInfo).port}`
})
afterEach(() => {
  server.closeAllConnections()
  server.close()
})
const reached = (by: string) =>
  gatewayAt(`tls://${address}`, by)
    .status()
    .then(
      () => true,
      () => false,
    )

test('a code lets the application give a secret once, which takes the place of the one before and is kept', async () => {
  const code = newCode()
  await secret.offer(code)
  await pairWith(address, plainCode(code).toLowerCase(), GIVEN)
  expect([await reached(GIVEN), await reached(FIRST)]).toEqual([true, false])
  await expect(pairWith(address, code, FIRST)).rejects.toThrow('does not take this code')
  const file = join(folder, 'secret')
  expect([await readFile(file, 'utf8'), (await stat(file)).mode & 0o077]).toEqual([GIVEN, 0])
  const again = await GatewaySecret.open(file, FIRST, said)
  expect(again.current).toBe(GIVEN)
  // One that is damaged lets nobody in, instead of whoever has nothing.
  await writeFile(file, '')
  expect((await GatewaySecret.open(file, FIRST, said)).current).toBeNull()
  expect(said).toHaveBeenCalledWith(expect.stringContaining('is damaged'))
})

test('a code that was used gives no other secret, also over the connection on which it was used', async () => {
  const code = newCode()
  await secret.offer(code)
  const psk = await keyOfCode(code)
  const agent = new Agent({
    ...SECURE,
    keepAlive: true,
    maxSockets: 1,
    pskCallback: () => ({ psk, identity: PAIRING_IDENTITY }),
    checkServerIdentity: () => undefined,
  })
  const give = (given: string) =>
    new Promise<number>((resolve, reject) => {
      const headers = { 'content-type': 'application/json' }
      request(`https://${address}/v1/secret`, { method: 'PUT', agent, headers }, (response) => {
        response.resume().once('end', () => resolve(response.statusCode!))
      })
        .once('error', reject)
        .end(JSON.stringify({ secret: given }))
    })
  expect([await give(GIVEN), await give('x'.repeat(43))]).toEqual([200, 401])
  expect(secret.current).toBe(GIVEN)
  agent.destroy()
})

test('without a code nobody gives a secret, and with one nobody does anything else', async () => {
  await expect(pairWith(address, newCode(), GIVEN)).rejects.toThrow('does not take this code')
  expect(await reached(FIRST)).toBe(true)
  const code = newCode()
  await secret.offer(code)
  await expect(pairWith(address, code, 'short')).rejects.toThrow('400')
  expect(secret.current).toBe(FIRST)
})

test('a code ends after five wrong ones, and after ten minutes', async () => {
  const code = newCode()
  await secret.offer(code)
  for (let tries = 0; tries < 5; tries++)
    await expect(pairWith(address, newCode(), GIVEN)).rejects.toThrow('does not take this code')
  await vi.waitUntil(() => said.mock.calls.length > 0)
  await expect(pairWith(address, code, GIVEN)).rejects.toThrow('does not take this code')
  expect(said.mock.calls).toEqual([[expect.stringContaining('wrong ones were tried')]])

  vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] })
  const other = newCode()
  await secret.offer(other)
  vi.advanceTimersByTime(600_000)
  vi.useRealTimers()
  await expect(pairWith(address, other, GIVEN)).rejects.toThrow('does not take this code')
  expect(await reached(FIRST)).toBe(true)
})

test('codes have letters that nobody takes for one another, and are not the same twice', () => {
  const codes = Array.from({ length: 500 }, newCode)
  expect(
    codes.every((code) => /^[A-HJ-NP-Z2-9]{4}-[A-HJ-NP-Z2-9]{4}$/.test(code) && !code.includes('L')),
  ).toBe(true)
  expect(new Set(codes).size).toBe(500)
})
