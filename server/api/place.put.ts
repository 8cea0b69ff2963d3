import { placeForm } from '../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../http/api-handler.ts'
import { changePlace } from '../draft/draft.ts'

export default apiHandler(async ({ sql, event }) => {
  await changePlace(sql, await bodyOf(event, placeForm))
  return {}
})
