import { apiHandler, idOf } from '../../http/api-handler.ts'

export default apiHandler(async ({ sql, places, event }) => {
  await places.remove(idOf(event), sql.actor)
  return {}
})
