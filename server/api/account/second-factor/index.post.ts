import { ownPasswordForm } from '../../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../../http/api-handler.ts'
import { offerSecondFactor } from '../../../accounts/second-factor.ts'

export default apiHandler(async ({ sql, client, event, account }) => {
  const { password } = await bodyOf(event, ownPasswordForm)
  return offerSecondFactor(sql, account, password, client.address)
})
