import { mailServerForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { setMailServer } from '../../notices/notices.ts'

export default apiHandler(async ({ sql, event }) => {
  await setMailServer(sql, (await bodyOf(event, mailServerForm)).server)
  return {}
})
