import type { JoinAnswer } from '../../../protocol/people.ts'
import { joinLookForm } from '../../../protocol/forms.ts'
import { apiHandler, BODY, bodyOf } from '../../services/api-handler.ts'
import { clientOf } from '../../services/client.ts'
import { lookAt } from '../../services/people.ts'
import { place } from '../../sql/place.ts'

export default apiHandler(async ({ sql, event }): Promise<JoinAnswer> => {
  const { code } = await bodyOf(event, joinLookForm, BODY.open)
  const role = await lookAt(sql, code, clientOf(event).address)
  return { role, place: (await place(sql))!.name }
})
