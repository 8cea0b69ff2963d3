import { logServerForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { makeLogServer } from '../../services/log-servers.ts'

export default apiHandler(async ({ sql, event, account }) =>
  makeLogServer(sql, await bodyOf(event, logServerForm), account),
)
