import { apiHandler, idOf, insteadIn } from '../../services/api-handler.ts'
import { takeOut } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => takeOut(sql, 'siteList', idOf(event), insteadIn(event)))
