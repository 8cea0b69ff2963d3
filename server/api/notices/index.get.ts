import { apiHandler } from '../../services/api-handler.ts'
import { ownNotices } from '../../services/notices.ts'

export default apiHandler(({ sql, account }) => ownNotices(sql, account))
