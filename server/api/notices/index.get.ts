import { apiHandler } from '../../http/api-handler.ts'
import { ownNotices } from '../../notices/notices.ts'

export default apiHandler(({ sql, account }) => ownNotices(sql, account))
