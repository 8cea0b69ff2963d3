import { apiHandler, idOf } from '../../http/api-handler.ts'
import { removeEntry } from '../../draft/draft.ts'

export default apiHandler(({ sql, event }) => removeEntry(sql, 'rule', idOf(event)))
