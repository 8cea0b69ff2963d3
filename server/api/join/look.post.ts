import { joinLookForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { lookAt } from '../../accounts/people.ts'

export default apiHandler(async ({ sql, client, event }) => {
  const { code } = await bodyOf(event, joinLookForm)
  return lookAt(sql, code, client.address)
})
