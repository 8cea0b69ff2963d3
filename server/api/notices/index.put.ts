import { noticesForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { saveOwnNotices } from '../../notices/notices.ts'

export default apiHandler(async ({ sql, event, principal }) => {
  const { mail, kinds } = await bodyOf(event, noticesForm)
  await saveOwnNotices(sql, principal!, mail, kinds)
  return {}
})
