import { startGateway } from './gateway.ts'
import { gatewayServer } from './http-server.ts'
import { simulatedPlane } from './simulated/plane.ts'
import { WORKSHOP } from './simulated/workshop.ts'

// The gateway as a program of its own: KAIROSTAT_GATEWAY_TOKEN (needed), GATEWAY_PORT, GATEWAY_FILE (where the last policy is kept), GATEWAY_TIME_ZONE.
const { KAIROSTAT_GATEWAY_TOKEN: token, GATEWAY_PORT = '3310', GATEWAY_HOST = '127.0.0.1', GATEWAY_FILE = '.data/gateway/policy.json', GATEWAY_TIME_ZONE = 'Europe/Lisbon' } = process.env
if (!token) {
  console.error('KAIROSTAT_GATEWAY_TOKEN is missing: set the same secret here and where the application runs.')
  process.exit(1)
}
const gateway = await startGateway(simulatedPlane(WORKSHOP, GATEWAY_TIME_ZONE, 1), GATEWAY_FILE)
const server = gatewayServer(gateway, token)
server.once('error', (error: NodeJS.ErrnoException) => {
  console.error(error.code === 'EADDRINUSE' ? `Port ${GATEWAY_PORT} is taken: set GATEWAY_PORT to another.` : error.message)
  process.exit(1)
})
server.listen(Number(GATEWAY_PORT), GATEWAY_HOST, () => console.log(`The gateway listens on http://${GATEWAY_HOST}:${GATEWAY_PORT}`))
