import { apiHandler } from '../../services/api-handler.ts'
import { overview } from '../../services/overview.ts'

export default apiHandler(async ({ places, sql, account }) => overview(places, sql, account))
