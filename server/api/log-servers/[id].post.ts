import { apiHandler, idOf } from '../../http/api-handler.ts'
import { tryLogServer } from '../../notices/log-servers.ts'

export default apiHandler(async ({ sql, event }) => {
  await tryLogServer(sql, idOf(event))
  return {}
})
