import { codeForm } from '../../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../../services/api-handler.ts'
import { clientOf } from '../../../services/client.ts'
import { confirmSecondFactor } from '../../../services/second-factor.ts'

export default apiHandler(async ({ sql, event, account }) => {
  const { code } = await bodyOf(event, codeForm)
  return confirmSecondFactor(sql, account, code, clientOf(event).address)
})
