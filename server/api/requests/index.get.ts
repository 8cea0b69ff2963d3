import { apiHandler } from '../../services/api-handler.ts'
import { waitingFor } from '../../services/requests.ts'

export default apiHandler(({ sql, limit }) => waitingFor(sql, limit))
