import { apiHandler, idOf } from '../../../http/api-handler.ts'
import { endSecondFactorOf } from '../../../accounts/second-factor.ts'

export default apiHandler(async ({ sql, account, event }) => {
  await endSecondFactorOf(sql, idOf(event), account)
  return {}
})
