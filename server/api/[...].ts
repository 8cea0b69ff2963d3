import { apiHandler } from '../http/api-handler.ts'
import { ApiError } from '../errors.ts'

export default apiHandler(async ({ event }) => {
  throw new ApiError('not-found', `No route answers ${event.method} ${event.path}.`)
})
