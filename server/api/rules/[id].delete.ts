import { apiHandler, idOf } from '../../services/api-handler.ts'
import { takeOut } from '../../services/draft.ts'

export default apiHandler(({ sql, event }) => takeOut(sql, 'rule', idOf(event)))
