import { apiHandler, idOf, insteadIn } from '../../http/api-handler.ts'
import { removeEntry } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) =>
  removeEntry(sql, 'network', idOf(event), insteadIn(event)),
)
