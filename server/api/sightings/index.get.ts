import { apiHandler } from '../../http/api-handler.ts'
import { clientOf } from '../../http/client.ts'
import { sightingsFor } from '../../gateways/sightings.ts'

export default apiHandler(({ sql, event }) => sightingsFor(sql, clientOf(event).address))
