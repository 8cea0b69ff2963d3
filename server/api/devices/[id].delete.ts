import { apiHandler, idOf, insteadIn } from '../../services/api-handler.ts'
import { removeEntry } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => removeEntry(sql, 'device', idOf(event), insteadIn(event)))
