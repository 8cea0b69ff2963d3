import { logServerForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { makeLogServer } from '../../notices/log-servers.ts'

export default apiHandler(async ({ sql, event, account }) =>
  makeLogServer(sql, await bodyOf(event, logServerForm), account),
)
