import { apiHandler } from '../../http/api-handler.ts'
import { overview } from '../../places/overview.ts'

export default apiHandler(async ({ places, sql, account }) => overview(places, sql, account))
