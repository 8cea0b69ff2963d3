import type { SightingAnswer } from '../../../shared/answers.ts'
import { answering } from '../../services/answering.ts'
import { makerOf } from '../../services/maker.ts'
import { sightings } from '../../sql/sighting.ts'

export default answering(async ({ sql, event }): Promise<SightingAnswer[]> => {
  // An IPv4 address of a socket for both versions is written as IPv6 (RFC 4291, section 2.5.5.2).
  const asker = event.node.req.socket.remoteAddress?.replace(/^::ffff:(?=\d+\.)/, '')
  return Promise.all((await sightings(sql)).map(async seen => ({ ...seen, maker: await makerOf(seen.mac), yours: seen.connected && seen.addresses.some(address => address === asker) })))
})
