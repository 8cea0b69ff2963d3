import { joinLookForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { clientOf } from '../../services/client.ts'
import { lookAt } from '../../services/people.ts'

export default apiHandler(async ({ sql, event }) => {
  const { code } = await bodyOf(event, joinLookForm)
  return lookAt(sql, code, clientOf(event).address)
})
