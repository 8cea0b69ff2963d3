import { apiHandler, idOf } from '../../http/api-handler.ts'
import { deleteLogServer } from '../../notices/log-servers.ts'

export default apiHandler(async ({ sql, event }) => {
  await deleteLogServer(sql, idOf(event))
  return {}
})
