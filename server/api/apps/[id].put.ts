import { appForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf, markIn } from '../../http/api-handler.ts'
import { putApp } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) =>
  putApp(sql, idOf(event), await bodyOf(event, appForm), markIn(event)),
)
