import { apiHandler, idOf } from '../../../services/api-handler.ts'
import { endSecondFactorOf } from '../../../services/second-factor.ts'

export default apiHandler(async ({ sql, account, event }) => {
  await endSecondFactorOf(sql, idOf(event), account)
  return {}
})
