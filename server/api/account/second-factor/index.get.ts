import { apiHandler } from '../../../services/api-handler.ts'
import { secondFactor } from '../../../services/second-factor.ts'

export default apiHandler(({ sql, account }) => secondFactor(sql, account))
