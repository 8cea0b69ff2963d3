import { discardForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { discardChanges } from '../../live/apply.ts'

export default apiHandler(async ({ sql, event }) =>
  discardChanges(sql, (await bodyOf(event, discardForm)).entries),
)
