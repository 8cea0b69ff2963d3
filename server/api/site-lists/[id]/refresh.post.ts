import { apiHandler, idOf } from '../../../services/api-handler.ts'
import { refreshList } from '../../../services/list-source.ts'

export default apiHandler(async ({ sql, gateway, event }) => {
  await refreshList(sql, gateway, idOf(event))
  return {}
})
