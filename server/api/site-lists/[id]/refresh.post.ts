import { apiHandler, idOf } from '../../../http/api-handler.ts'
import { refreshList } from '../../../lists/list-source.ts'

export default apiHandler(async ({ sql, gateway, listLock, event }) => {
  await refreshList({ sql, gateway, listLock }, idOf(event))
  return {}
})
