import { apiHandler, idOf } from '../../../http/api-handler.ts'
import { refreshList } from '../../../lists/list-source.ts'

export default apiHandler(async (here) => {
  await refreshList(here, idOf(here.event))
  return {}
})
