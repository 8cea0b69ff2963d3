import { personForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../services/api-handler.ts'
import { change } from '../../services/people.ts'

export default apiHandler(async ({ sql, event }) => {
  const { role, isDisabled } = await bodyOf(event, personForm)
  await change(sql, idOf(event), role, isDisabled)
  return {}
})
