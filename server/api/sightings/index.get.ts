import type { SightingAnswer } from '../../../protocol/answers.ts'
import { apiHandler } from '../../services/api-handler.ts'
import { clientOf } from '../../services/client.ts'
import { makerOf } from '../../services/vendor.ts'
import { sightings } from '../../sql/sighting.ts'

export default apiHandler(async ({ sql, event }): Promise<SightingAnswer[]> => {
  const asker = clientOf(event).address
  return Promise.all(
    (await sightings(sql)).map(async (seen) => ({
      ...seen,
      maker: await makerOf(seen.mac),
      yours: seen.connected && seen.addresses.some((address) => address === asker),
    })),
  )
})
