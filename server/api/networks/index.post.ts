import { networkForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { putNetwork } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => putNetwork(sql, null, await bodyOf(event, networkForm)))
