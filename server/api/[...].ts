import { apiHandler } from '../services/api-handler.ts'
import { ApiError } from '../services/errors.ts'

export default apiHandler(async ({ event }) => {
  throw new ApiError('not-found', `No route answers ${event.method} ${event.path}.`)
})
