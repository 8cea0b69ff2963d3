import { networkForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { putNetwork } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) => putNetwork(sql, null, await bodyOf(event, networkForm)))
