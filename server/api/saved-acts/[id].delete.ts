import { apiHandler, idOf } from '../../http/api-handler.ts'
import { deleteAct } from '../../live/saved-acts.ts'

export default apiHandler(async ({ sql, event }) => {
  await deleteAct(sql, idOf(event))
  return {}
})
