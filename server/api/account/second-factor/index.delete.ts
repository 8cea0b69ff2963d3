import { ownPasswordForm } from '../../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../../http/api-handler.ts'
import { endSecondFactor } from '../../../accounts/second-factor.ts'

export default apiHandler(async ({ sql, client, event, account }) => {
  const { password } = await bodyOf(event, ownPasswordForm)
  await endSecondFactor(sql, account, password, client.address)
  return {}
})
