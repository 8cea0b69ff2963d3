import { ownPasswordForm } from '../../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../../services/api-handler.ts'
import { clientOf } from '../../../services/client.ts'
import { offerSecondFactor } from '../../../services/second-factor.ts'

export default apiHandler(async ({ sql, event, account }) => {
  const { password } = await bodyOf(event, ownPasswordForm)
  return offerSecondFactor(sql, account, password, clientOf(event).address)
})
