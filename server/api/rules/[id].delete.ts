import { apiHandler, idOf } from '../../services/api-handler.ts'
import { removeEntry } from '../../services/draft.ts'

export default apiHandler(({ sql, event }) => removeEntry(sql, 'rule', idOf(event)))
