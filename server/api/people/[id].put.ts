import { personForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../http/api-handler.ts'
import { change } from '../../accounts/people.ts'

export default apiHandler(async ({ sql, event }) => {
  const { isDisabled, ...rights } = await bodyOf(event, personForm)
  await change(sql, idOf(event), rights, isDisabled)
  return {}
})
