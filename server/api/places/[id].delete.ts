import { apiHandler, idOf } from '../../http/api-handler.ts'

export default apiHandler(async ({ places, event }) => {
  await places.remove(idOf(event))
  return {}
})
