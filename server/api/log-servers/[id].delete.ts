import { apiHandler, idOf } from '../../services/api-handler.ts'
import { deleteLogServer } from '../../services/log-servers.ts'

export default apiHandler(async ({ sql, event }) => {
  await deleteLogServer(sql, idOf(event))
  return {}
})
