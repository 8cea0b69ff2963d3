import { placeForm } from '../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../services/api-handler.ts'
import { changePlace } from '../services/draft.ts'

export default apiHandler(async ({ sql, event }) => {
  await changePlace(sql, await bodyOf(event, placeForm))
  return {}
})
