import { joinLookForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { clientOf } from '../../http/client.ts'
import { lookAt } from '../../accounts/people.ts'

export default apiHandler(async ({ sql, event }) => {
  const { code } = await bodyOf(event, joinLookForm)
  return lookAt(sql, code, clientOf(event).address)
})
