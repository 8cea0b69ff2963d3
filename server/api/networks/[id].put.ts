import { networkForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf, markIn } from '../../http/api-handler.ts'
import { putNetwork } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) =>
  putNetwork(sql, idOf(event), await bodyOf(event, networkForm), markIn(event)),
)
