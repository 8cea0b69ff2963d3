import { mailTestForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { tryMailServer } from '../../notices/notices.ts'

export default apiHandler(async ({ sql, event }) => {
  const { server, to } = await bodyOf(event, mailTestForm)
  await tryMailServer(sql, server, to)
  return {}
})
