import { apiHandler } from '../../http/api-handler.ts'
import { sightingsFor } from '../../gateways/sightings.ts'

export default apiHandler(({ sql, client }) => sightingsFor(sql, client.address))
