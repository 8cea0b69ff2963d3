import { apiHandler } from '../../services/api-handler.ts'
import { clientOf } from '../../services/client.ts'
import { sightingsFor } from '../../services/sightings.ts'

export default apiHandler(({ sql, event }) => sightingsFor(sql, clientOf(event).address))
