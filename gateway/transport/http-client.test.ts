import { once } from 'node:events'
import { createServer, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { gzipSync } from 'node:zlib'
import { afterEach, expect, test } from 'vitest'
import { gatewayAt } from './http-client.ts'

let server: Server
afterEach(() => {
  server.closeAllConnections()
  server.close()
})

/** A gateway that answers everything in some way, and how much of it was taken, in bytes. */
async function gatewayThat(answers: (response: ServerResponse) => void) {
  let taken = 0
  server = createServer((request, response) => {
    request.socket.once('close', () => (taken = request.socket.bytesWritten))
    answers(response)
  })
  await once(server.listen(0, '127.0.0.1'), 'listening')
  const { port } = server.address() as AddressInfo
  return { gateway: gatewayAt(`http://127.0.0.1:${port}`, 'a-secret'), taken: () => taken }
}

/** Writes the same again and again, as fast as it is taken. */
function pour(response: ServerResponse, piece: string) {
  const more = () => {
    while (!response.destroyed && response.write(piece));
  }
  response.on('drain', more)
  more()
}

test('of an answer without an end so much is read, and no more', async () => {
  const { gateway, taken } = await gatewayThat((response) => pour(response, 'x'.repeat(65_536)))
  await expect(gateway.status()).rejects.toThrow('The gateway answered with more than 2 MB.')
  await expect(gateway.evidence()).rejects.toThrow('The gateway answered with more than 64 MB.')
  await expect.poll(taken).toBeLessThan(80_000_000)
})

test('what is packed counts as it is unpacked', async () => {
  const bomb = gzipSync(Buffer.alloc(50_000_000))
  const { gateway } = await gatewayThat((response) =>
    response.writeHead(200, { 'content-encoding': 'gzip' }).end(bomb),
  )
  await expect(gateway.status()).rejects.toThrow('more than 2 MB')
})

test('a line of changes without an end ends the watch', async () => {
  const { gateway } = await gatewayThat((response) => pour(response, 'x'.repeat(65_536)))
  const heard: string[] = []
  await expect(gateway.watch((change) => heard.push(change), new AbortController().signal)).rejects.toThrow(
    'The gateway says what is no change.',
  )
  expect(heard).toEqual([])
})
