import { apiHandler } from '../../../http/api-handler.ts'
import { secondFactor } from '../../../accounts/second-factor.ts'

export default apiHandler(({ sql, account }) => secondFactor(sql, account))
