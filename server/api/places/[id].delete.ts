import { apiHandler, idOf } from '../../services/api-handler.ts'

export default apiHandler(async ({ places, event }) => {
  await places.remove(idOf(event))
  return {}
})
