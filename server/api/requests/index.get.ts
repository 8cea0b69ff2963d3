import { apiHandler } from '../../http/api-handler.ts'
import { waitingFor } from '../../live/requests.ts'

export default apiHandler(({ sql, limit }) => waitingFor(sql, limit))
