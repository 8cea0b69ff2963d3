import { apiHandler, idOf } from '../../../http/api-handler.ts'
import { refreshList } from '../../../lists/list-source.ts'

export default apiHandler(async ({ sql, gateway, event }) => {
  await refreshList(sql, gateway, idOf(event))
  return {}
})
