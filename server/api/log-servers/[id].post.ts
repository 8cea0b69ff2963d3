import { apiHandler, idOf } from '../../services/api-handler.ts'
import { tryLogServer } from '../../services/log-servers.ts'

export default apiHandler(async ({ sql, event }) => {
  await tryLogServer(sql, idOf(event))
  return {}
})
